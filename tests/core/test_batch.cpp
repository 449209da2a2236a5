// Coverage and batches: what is stale and why, what is done and not done again, shards and what is merged of them, and what
// other programs at the same library leave whole. Schedulers are Debian's own (packages parallel, slurm-wlm).
#include <unistd.h>
#include <QDir>
#include <QDirIterator>
#include <QProcess>
#include <QTemporaryDir>
#include <QThread>
#include <QtTest>
#include <filesystem>
#include <set>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/hash.hpp"
#include "core/batch/batch.hpp"
#include "core/batch/coverage.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_batch {

using namespace nb;
namespace fs = std::filesystem;

class BatchTest : public QObject {
    Q_OBJECT
    std::unique_ptr<QTemporaryDir> folder_;

    std::string at(const std::string& name) const {
        return folder_->filePath(QString::fromStdString(name)).toStdString();
    }
    std::string copied(const std::string& name) const {
        test::copy_demo(at(name));
        return at(name);
    }
    static void edit(const std::string& path, const std::function<void(Json&)>& change) {
        Json document = parse_json(read_file(path), path);
        change(document);
        write_file(path, format_document(document));
    }
    /// Six short files of three takes.
    static HandOverOrder small_order() {
        HandOverOrder order;
        order.id = "test";
        order.name = "three by two";
        for (const char* take : {"lantern-signal", "bollard-sit", "quay-walk"})
            for (const char* character : {"ferrier", "dockhand"}) order.pairs.push_back({take, character});
        order.first = 40;
        order.last = 60;
        order.pattern = "{take}_{character}";
        return order;
    }
    static BatchOutcome run(const Batch& batch, const std::string& folder, int shard = 0, int shards = 1,
                            int jobs = 1) {
        Ledger ledger(folder);
        return run_batch(batch, open_library(folder), ledger, {jobs, shard, shards});
    }
    static Batch pairs_to_try(const Library& library, const std::vector<std::string>& takes = {},
                              const std::vector<std::string>& characters = {}) {
        Ledger ledger(library.folder);
        return trial_of(library, ledger, takes, characters);
    }
    /// Name and hash of every file of a folder.
    static QStringList contents(const std::string& folder) {
        QStringList all;
        QDirIterator it(QString::fromStdString(folder), QDir::Files | QDir::Hidden,
                        QDirIterator::Subdirectories);
        while (it.hasNext()) {
            const QString path = it.next();
            all << path.mid(int(folder.size())) + ' ' +
                       QString::fromStdString(hash_word(read_file(path.toStdString())));
        }
        all.sort();
        return all;
    }
    /// What was handed over, without what a program that was killed had begun: that has no one's name.
    static QStringList whole(const std::string& folder) {
        QStringList made = contents(folder + "/handed-over");
        made.removeIf(
            [](const QString& file) { return file.contains("unproved") || file.contains(".part"); });
        return made;
    }
    static Coverage table_of(const std::string& folder, Ledger& ledger) {
        ledger.look();
        return coverage_of(open_library(folder), ledger);
    }
    static size_t row_of(const std::vector<CoverageSide>& sides, const std::string& name) {
        return size_t(std::find_if(sides.begin(), sides.end(),
                                   [&](const CoverageSide& side) { return side.name == name; }) -
                      sides.begin());
    }
    static std::string words(const std::string& folder, const OrderedPair& pair) {
        Ledger ledger(folder);
        const Coverage table = table_of(folder, ledger);
        const Library library = open_library(folder);
        LibraryInputs inputs(library, ledger.hashes());
        return words_of_cell(table, row_of(table.takes, pair.take), row_of(table.characters, pair.character),
                             inputs, ledger);
    }

  private slots:
    void init() { folder_ = std::make_unique<QTemporaryDir>(); }

    void every_pair_whose_plans_agree_is_tried() {
        const Batch trial = pairs_to_try(open_library(test::demo("")));
        for (const OrderedPair& pair : trial.pairs)
            QCOMPARE(pair.take.starts_with("dog"), pair.character == "quay-dog");
        const Library library = open_library(test::demo(""));
        QVERIFY(trial.pairs.size() > 40 &&
                trial.pairs.size() < library.takes.size() * library.characters.size());
        QCOMPARE(pairs_to_try(library, {"quay-walk"}, {"ferrier", "dockhand"}).pairs.size(), size_t(2));
    }

    /// What stands in the table is what the review of that very transfer says.
    void a_cell_tells_the_worst_measure_by_its_bar() {
        const std::string folder = copied("lib");
        const Library library = open_library(folder);
        const OrderedPair pair{"quay-walk", "ferrier"};
        QCOMPARE(words(folder, pair), std::string("not tried"));
        QVERIFY(words(folder, {"quay-walk", "quay-dog"}).starts_with("not tried: a biped take, a quadruped"));
        const BatchOutcome outcome = run(pairs_to_try(library, {pair.take}, {pair.character}), folder);
        QCOMPARE(outcome.done, 1);
        LibraryFiles files(library);
        const LoadedFile &take = files.take(pair.take), &body = files.character(pair.character);
        const PairingSettings settings = files.pairing(take, body).first.settings;
        const TransferResult result = transfer(take.character, *take.take, body.character, settings);
        double worst = 0.0;
        std::string measure;
        for (const Bar& bar :
             bars_of(review_result(take.character, body.character, result), result, settings)) {
            const double share = bar.is_at_least   ? (1.0 - bar.value) / (1.0 - bar.bar)
                                 : bar.bar > 0.0   ? bar.value / bar.bar
                                 : bar.value > 0.0 ? 1.0 + bar.value
                                                   : 0.0;
            if (share > worst) {
                worst = share;
                measure = bar.text;
            }
        }
        Ledger ledger(folder);
        const Coverage table = table_of(folder, ledger);
        const CoverageCell& cell =
            table.at(row_of(table.takes, pair.take), row_of(table.characters, pair.character));
        QVERIFY(cell.state == CoverageCell::State::carried && !cell.is_stale && !cell.is_accepted);
        QVERIFY(std::abs(double(cell.share) - worst) < 1e-4);
        QCOMPARE(table.measures[size_t(cell.measure)], measure);
        const CoverageCount all = table.count();
        QCOMPARE(all.inside + all.outside, 1);
        QCOMPARE(all.not_tried, int(table.cells.size()) - 1);
        QVERIFY(QString::fromStdString(coverage_csv(table))
                    .contains(QRegularExpression("\"?quay-walk\"?,\"?ferrier\"?,(in|out)side,0,0,")));
        QVERIFY(QString::fromStdString(coverage_page(table, "a <b>")).contains("a &lt;b&gt;"));
    }

    void what_is_stale_says_why() {
        const std::string folder = copied("lib");
        const OrderedPair pair{"lantern-signal", "ferrier"};
        run(pairs_to_try(open_library(folder), {pair.take}, {pair.character, "dockhand"}), folder);
        const std::string fresh = words(folder, pair);
        QVERIFY(!fresh.starts_with("stale"));
        // What nothing is carried by.
        const std::string document = folder + "/characters/ferrier/character.json";
        const std::string before = read_file(document);
        edit(document, [](Json& d) {
            d["name"] = "another";
            d["tags"] = {"ferry"};
            d["notes"] = "seen";
        });
        QCOMPARE(words(folder, pair), fresh);
        edit(document, [](Json& d) { d["rest"]["name"] = "other"; });
        QCOMPARE(words(folder, pair), std::string("stale: the rest of ferrier has changed"));
        QVERIFY(!words(folder, {pair.take, "dockhand"}).starts_with("stale"));
        write_file(document, before);
        QCOMPARE(words(folder, pair), fresh);
        // Its own rig; a piece of the set that stands about; a pairing that comes and goes.
        const std::string rig = folder + "/characters/ferrier/rig.glb";
        const std::string bytes = read_file(rig);
        write_file(rig, bytes + " ");
        QCOMPARE(words(folder, pair), std::string("stale: rig.glb of ferrier has changed"));
        write_file(rig, bytes);
        const std::string take = folder + "/takes/lantern-signal.take.json";
        edit(take, [](Json& d) { d["trim"]["first"] = 3; });
        QCOMPARE(words(folder, pair), std::string("stale: the trim of lantern-signal has changed"));
        QVERIFY(words(folder, {pair.take, "dockhand"}).starts_with("stale"));
        // Tried again it is no longer.
        QCOMPARE(run(pairs_to_try(open_library(folder), {pair.take}, {pair.character}), folder).done, 1);
        QVERIFY(!words(folder, pair).starts_with("stale"));
        fs::remove(folder + "/characters/ferrier/character.json");
        QVERIFY(words(folder, pair).starts_with("stale"));
    }

    /// A pairing's own settings count for its pair, those of a take for that take, and what was judged for none.
    void pairings_count_where_they_hold() {
        const std::string folder = copied("lib");
        const std::string pairing = folder + "/pairings/performer-ferrier.json";
        QVERIFY(fs::exists(pairing));
        run(pairs_to_try(open_library(folder), {"lantern-signal", "quay-walk"}, {"ferrier", "dockhand"}),
            folder);
        edit(pairing, [](Json& d) { d["judged"]["x"] = Json::object(); });
        QVERIFY(!words(folder, {"quay-walk", "ferrier"}).starts_with("stale"));
        const std::string key = parse_json(read_file(folder + "/takes/quay-walk.take.json"), "take")["id"];
        edit(pairing, [&](Json& d) { d["takes"][key] = Json::object(); });
        QCOMPARE(words(folder, {"quay-walk", "ferrier"}), "stale: the pair's takes/" + key + " is new");
        QVERIFY(!words(folder, {"lantern-signal", "ferrier"}).starts_with("stale"));
        edit(pairing, [](Json& d) { d["passes"]["near"] = false; });
        QCOMPARE(words(folder, {"lantern-signal", "ferrier"}),
                 std::string("stale: the pair's passes has changed"));
        QVERIFY(!words(folder, {"lantern-signal", "dockhand"}).starts_with("stale"));
    }

    void accepted_is_until_an_input_changes() {
        const std::string folder = copied("lib");
        const OrderedPair pair{"lantern-signal", "ferrier"};
        run(pairs_to_try(open_library(folder), {pair.take}, {pair.character}), folder);
        const auto is_accepted = [&] {
            Ledger ledger(folder);
            const Coverage table = table_of(folder, ledger);
            ledger.keep_summary();
            return table.at(row_of(table.takes, pair.take), row_of(table.characters, pair.character))
                .is_accepted;
        };
        QVERIFY(!is_accepted());
        Ledger ledger(folder);
        ledger.accept({pair, ledger.tried(pair)->word, "far enough off", "2026-11-29"});
        QVERIFY(is_accepted());
        const std::string document = folder + "/characters/ferrier/character.json";
        const std::string before = read_file(document);
        edit(document, [](Json& d) { d["rest"]["name"] = "other"; });
        QVERIFY(!is_accepted());
        write_file(document, before);
        QVERIFY(is_accepted());
        ledger.accept_no_more(pair);
        QVERIFY(!is_accepted());
    }

    /// The summary is quick, and never believed over the files.
    void a_wrong_summary_is_made_anew() {
        const std::string folder = copied("lib");
        run(pairs_to_try(open_library(folder), {"lantern-signal"}), folder);
        const std::string summary = folder + "/ledger/summary";
        const auto csv = [&] {
            Ledger ledger(folder);
            const std::string table = coverage_csv(table_of(folder, ledger));
            ledger.keep_summary();
            return table;
        };
        const std::string right = csv();
        QVERIFY(fs::exists(summary));
        std::string text = read_file(summary);
        // One that is cut, one with a figure that somebody changed, one that is none, none.
        write_file(summary, text.substr(0, text.size() / 2));
        QCOMPARE(csv(), right);
        text = read_file(summary);
        const size_t cell = text.find("\nB\t");
        QVERIFY(cell != std::string::npos);
        text.replace(text.find("lantern-signal", cell), 14, "lantern-sagnil");
        write_file(summary, text);
        QCOMPARE(csv(), right);
        write_file(summary, "nonsense");
        QCOMPARE(csv(), right);
        fs::remove(summary);
        QCOMPARE(csv(), right);
        // A file that is gone, and one that is broken: not tried.
        Ledger ledger(folder);
        const OrderedPair gone{"lantern-signal", "ferrier"}, broken{"lantern-signal", "dockhand"};
        const auto place = [&](const OrderedPair& pair) {
            const std::string key = Ledger::key_of(pair);
            return folder + "/ledger/tried/" + key.substr(0, 2) + "/" + key + ".json";
        };
        fs::remove(place(gone));
        write_file(place(broken), "{");
        QCOMPARE(words(folder, gone), std::string("not tried"));
        QCOMPARE(words(folder, broken), std::string("not tried"));
        QVERIFY(words(folder, {"lantern-signal", "lamp-child"}) != "not tried");
    }

    void shards_and_cores_give_the_same_bytes() {
        const Batch batch = batch_of(small_order());
        QStringList one;
        for (const auto& [shards, jobs] : {std::pair{1, 1}, {1, 2}, {2, 1}, {7, 2}}) {
            const std::string folder = copied("lib" + std::to_string(shards) + std::to_string(jobs));
            int done = 0;
            for (int shard = 0; shard < shards; ++shard) {
                const BatchOutcome outcome = run(batch, folder, shard, shards, jobs);
                QVERIFY2(outcome.faults.empty(),
                         outcome.faults.empty() ? "" : outcome.faults.front().c_str());
                done += outcome.done;
            }
            QCOMPARE(done, 6);
            const QStringList made = contents(folder + "/handed-over");
            QCOMPARE(made.size(), 8);  // with the report and its page
            if (one.isEmpty()) one = made;
            QCOMPARE(made, one);
        }
    }

    /// The files are those of an order that is handed over without a batch.
    void a_batch_writes_what_a_hand_over_writes() {
        const HandOverOrder order = small_order();
        const std::string folder = copied("lib"), other = copied("other");
        run(batch_of(order), folder);
        LibraryFiles files(open_library(other));
        QCOMPARE(run_hand_over(order, files).failed, 0);
        for (const OrderedPair& pair : order.pairs) {
            const std::string name = "/handed-over/" + pair.take + "_" + pair.character + ".glb";
            QVERIFY(read_file(folder + name) == read_file(other + name));
        }
        const Json a = parse_json(read_file(folder + "/handed-over/three-by-two.report.json"), "a");
        const Json b = parse_json(read_file(other + "/handed-over/three-by-two.report.json"), "b");
        QVERIFY(a["files"] == b["files"]);
        QVERIFY(stale_rows(a, folder + "/handed-over/three-by-two.report.json").empty());
    }

    void what_is_done_is_not_done_again() {
        const std::string folder = copied("lib");
        const Batch batch = batch_of(small_order());
        QCOMPARE(run(batch, folder).done, 6);
        const QStringList first = contents(folder + "/handed-over");
        BatchOutcome again = run(batch, folder);
        QCOMPARE(again.done, 0);
        QCOMPARE(again.was_done, 6);
        // What has changed is done again, and that alone; so is a file that is gone.
        edit(folder + "/takes/bollard-sit.take.json", [](Json& d) { d["trim"]["last"] = 300; });
        QCOMPARE(run(batch, folder).done, 2);
        fs::remove(folder + "/handed-over/quay-walk_ferrier.glb");
        again = run(batch, folder);
        QCOMPARE(again.done, 1);
        QCOMPARE(contents(folder + "/handed-over").filter("quay-walk_ferrier"),
                 first.filter("quay-walk_ferrier"));
        // Another order: all of it.
        Batch other = batch;
        other.order->fps = 30.0;
        QCOMPARE(run(other, folder).done, 6);
        QVERIFY(contents(folder + "/handed-over").filter("quay-walk_ferrier") !=
                first.filter("quay-walk_ferrier"));
    }

    void a_broken_job_is_named_and_stops_nobody() {
        const std::string folder = copied("lib");
        write_file(folder + "/takes/bollard-sit.bvh", "HIERARCHY\nROOT hips\n{\n");
        const Batch batch = batch_of(small_order());
        const BatchOutcome outcome = run(batch, folder, 0, 1, 2);
        QCOMPARE(outcome.done, 4);
        QCOMPARE(outcome.failed, 2);
        for (const std::string& fault : outcome.faults)
            QVERIFY2(QString::fromStdString(fault).startsWith("bollard-sit on "), fault.c_str());
        QVERIFY(words(folder, {"bollard-sit", "ferrier"}).starts_with("failed: "));
        const Json report = parse_json(read_file(outcome.report), "report");
        int failed = 0;
        for (const Json& file : report["files"]) failed += file["state"] == "failed" ? 1 : 0;
        QCOMPARE(failed, 2);
        // Mended it is done, the others are not done again.
        fs::copy_file(test::demo("takes/bollard-sit.bvh"), folder + "/takes/bollard-sit.bvh",
                      fs::copy_options::overwrite_existing);
        QCOMPARE(run(batch, folder).done, 2);
    }

    void names_that_would_be_one_file_are_refused_before() {
        const std::string folder = copied("lib");
        HandOverOrder order = small_order();
        order.pattern = "{take}";
        Ledger ledger(folder);
        const auto jobs = jobs_of(batch_of(order), open_library(folder), ledger);
        QCOMPARE(
            std::count_if(jobs.begin(), jobs.end(), [](const BatchJob& job) { return !job.why.empty(); }), 3);
        const BatchEstimate plan = estimate(jobs, open_library(folder), ledger);
        QCOMPARE(plan.refused, size_t(3));
        QVERIFY(plan.seconds > 0.0 && plan.memory_bytes > (24u << 20) && plan.shards == 1);
        // The same one whichever shard comes first.
        const BatchOutcome outcome = run(batch_of(order), folder);
        QCOMPARE(outcome.done, 3);
        for (const std::string& fault : outcome.faults)
            QVERIFY(QString::fromStdString(fault).contains("on dockhand"));
    }

    /// A file that stands there and is nobody's of the batch is treated as the order says.
    void a_file_of_somebody_else_stays() {
        const std::string folder = copied("lib");
        fs::create_directories(folder + "/handed-over");
        write_file(folder + "/handed-over/quay-walk_ferrier.glb", "mine");
        const Batch batch = batch_of(small_order());
        QCOMPARE(run(batch, folder).failed, 0);
        QCOMPARE(read_file(folder + "/handed-over/quay-walk_ferrier.glb"), std::string("mine"));
        edit(folder + "/takes/quay-walk.take.json", [](Json& d) { d["trim"]["first"] = 3; });
        run(batch, folder);
        QCOMPARE(read_file(folder + "/handed-over/quay-walk_ferrier.glb"), std::string("mine"));
    }

    void takes_of_a_character_in_one_file_are_one_job() {
        const std::string folder = copied("lib");
        HandOverOrder order = small_order();
        order.is_together = true;
        order.pattern = "{character}";
        const BatchOutcome outcome = run(batch_of(order), folder);
        QCOMPARE(outcome.done, 2);
        QVERIFY(fs::exists(folder + "/handed-over/ferrier.glb"));
        QCOMPARE(run(batch_of(order), folder).was_done, 2);
    }

    /// A ledger that cannot be written, as on a full disk: each job is told, the program does not end.
    void a_ledger_that_cannot_be_written_is_told() {
        const std::string folder = copied("lib");
        fs::create_directories(folder + "/ledger");
        write_file(folder + "/ledger/tried", "in the way");
        const BatchOutcome trial =
            run(pairs_to_try(open_library(folder), {"lantern-signal"}), folder, 0, 1, 2);
        QCOMPARE(trial.failed, 5);
        QCOMPARE(trial.done + trial.left, 0);
        for (const std::string& fault : trial.faults)
            QVERIFY2(QString::fromStdString(fault).contains("tried"), fault.c_str());
        fs::remove(folder + "/ledger/tried");
        QCOMPARE(run(pairs_to_try(open_library(folder), {"lantern-signal"}), folder).done, 5);
    }

    void cancelled_it_goes_on_where_it_ended() {
        const std::string folder = copied("lib");
        const Batch batch = batch_of(small_order());
        int told = 0;
        Ledger ledger(folder);
        const BatchOutcome outcome = run_batch(batch, open_library(folder), ledger, {},
                                               [&](const BatchProgress&) { return ++told <= 2; });
        QCOMPARE(outcome.done, 2);
        QCOMPARE(outcome.left, 4);
        const Json report = parse_json(read_file(outcome.report), "report");
        int left = 0;
        for (const Json& file : report["files"]) left += file["state"] == "to do" ? 1 : 0;
        QCOMPARE(left, 4);
        QCOMPARE(run(batch, folder).done, 4);
    }

    /// Three programs at one library, one of them killed: what is accepted is whole, and the bytes are those of one.
    void programs_at_one_library_do_not_hurt_each_other() {
        if (test::under_sanitizers()) QSKIP("the command line is run without sanitizers");
        const std::string folder = copied("lib"), alone = copied("alone");
        HandOverOrder order = small_order();
        for (const std::string& library : {folder, alone}) {
            fs::create_directories(library + "/orders");
            write_file(library + "/orders/three.json", format_document(order_document(order)));
        }
        const QStringList arguments{"batch", QString::fromStdString(folder + "/orders/three.json")};
        std::array<QProcess, 3> programs;
        for (QProcess& program : programs) program.start(NB_NBONE, arguments);
        // Killed as soon as something is there.
        QTRY_VERIFY_WITH_TIMEOUT(fs::exists(folder + "/ledger/orders/three-by-two"), 20000);
        programs[0].kill();
        for (QProcess& program : programs) QVERIFY(program.waitForFinished(120000));
        run(batch_of(order), folder);
        run(batch_of(order), alone);
        QCOMPARE(whole(folder), contents(alone + "/handed-over"));
    }

    void the_command_line_plans_does_and_tells() {
        if (test::under_sanitizers()) QSKIP("the command line is run without sanitizers");
        const std::string folder = copied("lib");
        const auto nbone = [](const QStringList& arguments) {
            QProcess process;
            process.start(NB_NBONE, arguments);
            process.waitForFinished(120000);
            return std::pair{process.exitCode(),
                             process.readAllStandardOutput() + process.readAllStandardError()};
        };
        const QString library = QString::fromStdString(folder);
        const auto [planned, plan] = nbone({"batch", library, "--take", "lantern-signal", "--plan"});
        QCOMPARE(planned, 0);
        QVERIFY2(plan.contains("5 jobs, 0 done, 5 to do"), plan);
        const auto [code, out] = nbone({"batch", library, "--take", "lantern-signal", "--jobs", "2"});
        QCOMPARE(code, 0);
        QVERIFY2(out.contains("5 done, 0 done before, 0 failed"), out);
        const auto [told, table] = nbone({"coverage", library, "--out", folder_->filePath("t.html")});
        QCOMPARE(told, 0);
        QVERIFY(QFile::exists(folder_->filePath("t.html")));
        edit(folder + "/takes/lantern-signal.take.json", [](Json& d) { d["trim"]["first"] = 3; });
        const auto [stale, lines] = nbone({"coverage", library});
        QCOMPARE(stale, 5);
        QVERIFY2(lines.contains("stale: the trim of lantern-signal has changed"), lines);
        for (const char* shard : {"0/2", "3/2", "x", "1/2/3"})
            QCOMPARE(nbone({"batch", library, "--shard", shard}).first, 2);
        QCOMPARE(nbone({"coverage", library, "--out", folder_->filePath("t.txt")}).first, 2);
        QVERIFY(nbone({"batch", folder_->filePath("none.json"), "--library", library}).first != 0);
    }

    /// GNU parallel, with a shard that is killed half-way.
    void parallel_runs_the_shards() {
        if (test::under_sanitizers()) QSKIP("the command line is run without sanitizers");
        if (QStandardPaths::findExecutable("parallel").isEmpty()) QSKIP("GNU parallel is not installed");
        const std::string folder = copied("lib"), alone = copied("alone");
        const HandOverOrder order = small_order();
        fs::create_directories(folder + "/orders");
        write_file(folder + "/orders/three.json", format_document(order_document(order)));
        QProcess process;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("NBONE", NB_NBONE);
        process.setProcessEnvironment(environment);
        process.start(NB_SOURCE_DIR "/tools/batch-parallel",
                      {QString::fromStdString(folder + "/orders/three.json"), "--shards", "3"});
        QVERIFY(process.waitForFinished(120000));
        QCOMPARE(process.exitCode(), 0);
        run(batch_of(order), alone);
        QCOMPARE(contents(folder + "/handed-over"), contents(alone + "/handed-over"));
    }

    /// A cluster of one node, an array of three, one of its tasks killed: the job after it does what is left.
    void a_scheduler_runs_the_shards() {
        if (test::under_sanitizers()) QSKIP("the command line is run without sanitizers");
        if (geteuid() != 0) QSKIP("a scheduler is started as root alone");
        for (const char* program : {"slurmctld", "slurmd", "munged", "sbatch"})
            if (QStandardPaths::findExecutable(program).isEmpty() &&
                QStandardPaths::findExecutable(program, {"/usr/sbin"}).isEmpty())
                QSKIP("slurm-wlm or munge is not installed");
        const std::string folder = copied("lib"), alone = copied("alone");
        HandOverOrder order = small_order();
        order.first = order.last = 0;  // long enough to be caught at it
        fs::create_directories(folder + "/orders");
        write_file(folder + "/orders/three.json", format_document(order_document(order)));
        const QString node = folder_->filePath("node");
        struct Node {
            QString folder;
            ~Node() { QProcess::execute(NB_SOURCE_DIR "/tests/tools/one-node-slurm", {"stop", folder}); }
        } stops{node};
        QProcess start;
        start.start(NB_SOURCE_DIR "/tests/tools/one-node-slurm", {"start", node});
        QVERIFY(start.waitForFinished(60000));
        if (start.exitCode() != 0)
            QSKIP(("the node did not start: " + start.readAllStandardError()).constData());
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert("SLURM_CONF", node + "/slurm.conf");
        environment.insert("NBONE", NB_NBONE);
        const auto ask = [&](const QString& program, const QStringList& arguments) {
            QProcess process;
            process.setProcessEnvironment(environment);
            process.start(program, arguments);
            process.waitForFinished(60000);
            return process.readAllStandardOutput() + process.readAllStandardError();
        };
        const QByteArray said = ask(NB_SOURCE_DIR "/tools/batch-slurm",
                                    {QString::fromStdString(folder + "/orders/three.json"), "--shards", "3"});
        QVERIFY2(said.contains("of 3 shards"), said);
        const QString shard =
            QString("batch %1/orders/three.json --shard 2/3").arg(QString::fromStdString(folder));
        bool is_killed = false;
        for (int i = 0; i < 600 && !is_killed; ++i) {
            is_killed = QProcess::execute("pkill", {"-9", "-f", shard}) == 0;
            QThread::msleep(20);
        }
        QVERIFY(is_killed);
        bool is_over = false;
        for (int i = 0; i < 300 && !is_over; ++i) {
            is_over = ask("squeue", {"-h"}).trimmed().isEmpty();
            QThread::msleep(200);
        }
        QVERIFY(is_over);
        QByteArray logs;
        for (const fs::path& log : sorted_entries(folder + "/orders/batch-logs"))
            logs += QByteArray::fromStdString(log.filename().string() + ": " + read_file(log.string()));
        qInfo("%s", logs.constData());
        run(batch_of(order), alone);
        QCOMPARE(whole(folder), contents(alone + "/handed-over"));
    }
};

NB_TEST(BatchTest)
}  // namespace test_batch
#include "test_batch.moc"
