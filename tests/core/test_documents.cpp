// The project's documents: written and read again byte for byte (property 10), by their schemas, unknown keys
// kept, wrong ones refused with one line. And files on the disk.
#include <sys/resource.h>
#include <QDir>
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>
#include <csignal>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/batch/coverage.hpp"
#include "core/batch/take_account.hpp"
#include "core/documents/change.hpp"
#include "core/documents/character.hpp"
#include "core/documents/hand_pose.hpp"
#include "core/documents/pairing.hpp"
#include "core/documents/review.hpp"
#include "core/documents/scene.hpp"
#include "core/documents/take.hpp"
#include "core/library/beside.hpp"
#include "core/library/families.hpp"
#include "core/library/hand_over.hpp"
#include "core/library/library.hpp"
#include "core/touchup/hand_pose.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_documents {

using namespace nb;

namespace {

template <typename Call>
QString error_of(Call&& call) {
    try {
        call();
    } catch (const FileError& error) {
        return error.what();
    }
    return "no error";
}

Pairing some_pairing() {
    Pairing pairing;
    pairing.id = make_uuid();
    pairing.source_id = make_uuid();
    pairing.target_id = make_uuid();
    pairing.source_path = "../a";
    pairing.target_path = "../b";
    pairing.settings.scale = 1.25;
    pairing.settings.passes.reach = false;
    pairing.settings.chains["arm.left"].carry = Carry::limb;
    return pairing;
}

}  // namespace

class DocumentsTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    std::string in_folder(const QString& name) const { return folder_.filePath(name).toStdString(); }

  private slots:
    void characters_are_the_same_bytes_again_data() {
        QTest::addColumn<QString>("rig");
        for (const auto* name :
             {"dockhand/rig.bvh", "ferrier/rig.glb", "lamp-child/rig.bvh", "performer/rig.bvh"})
            QTest::newRow(name) << QString::fromStdString(test::rig(std::string() + name));
        QTest::newRow("01_01") << QString::fromStdString(test::capture("01_01.bvh"));
        QTest::newRow("01_03") << QString::fromStdString(test::capture("01_03.bvh"));
    }
    void characters_are_the_same_bytes_again() {  // property 10
        QFETCH(QString, rig);
        const LoadedFile first = load_file(rig.toStdString());
        const std::string text = format_document(character_document(first.character));
        const std::string path = in_folder("character.json");
        write_file(path, text);
        std::vector<std::string> notes;
        const LoadedFile again = load_character(rig.toStdString(), path, notes);
        QVERIFY(notes.empty());
        const std::string second = format_document(character_document(again.character));
        QCOMPARE(second.size(), text.size());
        QVERIFY(second == text);
        // And it means the same: the aligned rest agrees.
        for (size_t j = 0; j < first.character.rest.R_WJ0.size(); ++j) {
            const bool is_in_body =
                first.character.rig.skeleton.is_ancestor(first.character.roles.joint("hips"), int(j));
            if (is_in_body && !first.character.roles.role_of(int(j)).empty())
                QVERIFY(angle_between(first.character.rest.R_WJ0[j], again.character.rest.R_WJ0[j]) < 1e-9);
        }
    }
    void pairings_takes_and_unknown_keys_too() {
        const std::string path = in_folder("pairing.json");
        Json document = pairing_document(some_pairing());
        document["of_a_later_time"] = {{"kept", true}};
        write_file(path, format_document(document));
        const Pairing read = read_pairing(read_document(path, "pairing"), path);
        QCOMPARE(format_document(pairing_document(read)), read_file(path));
        QVERIFY(read.settings.chains.at("arm.left").carry == Carry::limb && !read.settings.passes.reach);

        const std::string take_path = test::demo("takes/quay-walk.take.json");
        const TakeDocument take = read_take_document(read_document(take_path, "take"), take_path);
        QCOMPARE(format_document(take_document(take)), read_file(take_path));

        const std::string own = test::rig("ferrier/character.json");
        Json character = read_document(own, "character");
        character["of_a_later_time"] = 3;
        const std::string changed = in_folder("later.json");
        write_file(changed, format_document(character));
        std::vector<std::string> notes;
        const LoadedFile loaded = load_character(test::rig("ferrier/rig.glb"), changed, notes);
        QCOMPARE(character_document(loaded.character)["of_a_later_time"].get<int>(), 3);
    }
    void demo_documents_are_canonical() {
        for (const auto* name : {"dockhand", "ferrier", "lamp-child", "performer"}) {
            const std::string folder = test::rig(std::string() + name);
            std::vector<std::string> notes;
            const std::string rig = folder + (std::string(name) == "ferrier" ? "/rig.glb" : "/rig.bvh");
            const LoadedFile loaded = load_character(rig, folder + "/character.json", notes);
            QVERIFY(notes.empty());
            QCOMPARE(format_document(character_document(loaded.character)),
                     read_file(folder + "/character.json"));
        }
    }
    void all_documents_follow_their_schemas() {
        const LoadedFile source = load_file(test::capture("01_01.bvh"));
        const LoadedFile target = load_file(test::rig("ferrier/rig.glb"));
        const TransferResult result = test::carry(source, target);
        QStringList paths;
        const auto write = [&](const char* name, const Json& document) {
            paths << QString::fromStdString(in_folder(name));
            write_file(paths.back().toStdString(), format_document(document));
        };
        write("c1.json", character_document(source.character));
        write("c2.json", character_document(target.character));
        write("p.json", pairing_document(some_pairing()));
        write("r.json", review_document(review_transfer(source.character, result.source, target.character,
                                                        result.target, source.take->frame_time_s, 1)));
        TakeDocument take;
        take.id = make_uuid();
        take.file = "x.bvh";
        write("t.json", take_document(take));
        LoadedFile repaired = source;
        LoadOptions& options = repaired.character.rig.options;
        options.tree = "Hips";
        options.reference = "first frame";
        options.on_floor = options.over_origin = options.bridge_breaks = true;
        options.fps = 60.0;
        options.without_meshes = {"hat", "rope"};
        options.lengths = {{"legs", 0.9}, {"neck", 1.1}, {"arm.left", 1.05}, {"hands", 0.8}};
        options.unit_m = 0.01;
        repaired.character.roles.is_settled = true;
        write("c3.json", character_document(repaired.character));
        write("t2.json", changed_take_document(repaired, in_folder("none.take.json")));
        write("u.json", change_document(repaired));
        LoadOptions read_back;
        read_change(read_document(in_folder("u.json"), "unsaved"), "u", read_back);
        options.is_by_hand = true;
        QVERIFY(read_back == options);
        write("certificate.json",
              certificate_document(target.character,
                                   review_transfer(source.character, result.source, target.character,
                                                   result.target, source.take->frame_time_s, 1)));
        for (const auto* plan : {"biped", "quadruped"})
            paths << QString(NB_SOURCE_DIR "/core/body/plans/%1.json").arg(plan);
        QDir demo(QString::fromStdString(test::demo("")));
        write("h.json", hand_pose_document(*shipped_hand_pose("grip"), make_uuid()));
        for (const auto* pair : {"performer-ferrier", "performer-lamp-child"}) {
            paths << demo.filePath(QString("pairings/%1.json").arg(pair));
            const std::string path = paths.back().toStdString();
            QCOMPARE(format_document(pairing_document(read_pairing(read_document(path, "pairing"), path))),
                     read_file(path));
        }
        paths << demo.filePath("joins/steps-to-quay.json")
              << demo.filePath("characters/ferrier/controls.json");
        paths << demo.filePath("orders/quay-week.json");
        const std::string order = paths.back().toStdString();
        QCOMPARE(format_document(order_document(read_order(read_document(order, "order"), order))),
                 read_file(order));
        paths << demo.filePath("scenes/help-up.scene.json");
        const std::string scene = paths.back().toStdString();
        QCOMPARE(format_document(scene_document(read_scene(read_document(scene, "scene"), scene))),
                 read_file(scene));
        LibraryFiles files(open_library(test::demo("")));
        HandOverOrder small;
        small.name = "small";
        small.pairs = {{"lantern-signal", "ferrier"}, {"no-such", "ferrier"}};
        small.last = 20;
        small.reduce = KeyTolerance{};
        small.folder = in_folder("handed");
        paths << QString::fromStdString(run_hand_over(small, files).path);
        Tried tried;
        tried.pair = {"lantern-signal", "ferrier"};
        tried.measures = {{"jitter", "angular acceleration", 1.2, 1.3, false}};
        tried.inputs = {{"program", "x"}};
        tried.word = "w";
        write("tried.json", tried_document(tried));
        QCOMPARE(
            format_document(tried_document(read_tried(read_document(in_folder("tried.json"), "tried"), "t"))),
            read_file(in_folder("tried.json")));
        tried.why = "cannot be read";
        write("tried-not.json", tried_document(tried));
        Json written = Json::array();
        written.push_back({{"name", "a.glb"}, {"take", "t"}, {"character", "c"}, {"state", "written"}});
        write("job.json", job_document({{tried.pair}, "w", written}, "quay week"));
        Coverage coverage;
        coverage.takes = {{"quay-walk", "Quay walk", "biped", ""}};
        coverage.characters = {{"ferrier", "the ferrier", "biped", ""},
                               {"quay-dog", "the dog", "quadruped", ""}};
        coverage.cells.resize(2);
        coverage.cells[0].state = CoverageCell::State::carried;
        write("coverage.json", coverage_document(coverage, open_library(test::demo(""))));
        write("f.json", family_document(family_of(test::demo_body("ferrier").character, "crew")));
        test::copy_demo(in_folder("found"));
        const Library found = open_library(in_folder("found"));
        account_in(found, found.takes.front());
        paths << folder_.filePath("found/accounts/" + QString::fromStdString(found.takes.front().name) +
                                  ".json");
        paths << demo.filePath("library.json") << demo.filePath("takes/quay-walk.take.json");
        for (const auto* name : {"dockhand", "ferrier", "lamp-child", "performer"})
            paths << demo.filePath(QString("characters/%1/character.json").arg(name));
        QProcess python;
        python.start(
            "/usr/bin/python3",
            QStringList{NB_SOURCE_DIR "/tests/support/validate.py", NB_SOURCE_DIR "/docs/schema"} + paths);
        QVERIFY(python.waitForFinished(60000));
        QVERIFY2(python.exitCode() == 0, python.readAllStandardError());
        // The check can fail: a broken document is refused.
        Json broken = pairing_document(some_pairing());
        broken["passes"].erase("root");
        write("broken.json", broken);
        python.start("/usr/bin/python3", {NB_SOURCE_DIR "/tests/support/validate.py",
                                          NB_SOURCE_DIR "/docs/schema", paths.back()});
        QVERIFY(python.waitForFinished(60000));
        QVERIFY(python.exitCode() != 0);
    }

    void wrong_documents_are_refused_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("what");
        const QString good = QString::fromStdString(format_document(pairing_document(some_pairing())));
        QTest::newRow("other kind") << QString(good).replace("bone/pairing", "bone/take")
                                    << "is no pairing document";
        QTest::newRow("newer") << QString(good).replace("\"version\": 1", "\"version\": 2")
                               << "newer than this program";
        QTest::newRow("cut off") << good.left(good.size() / 2) << "no valid JSON";
        QTest::newRow("missing key") << QString(good).replace("\"passes\"", "\"glasses\"")
                                     << "'passes' is missing";
        QTest::newRow("wrong kind of value")
            << QString(good).replace("\"root\": true", "\"root\": 7") << "'root'";
        QTest::newRow("unknown carry")
            << QString(good).replace("\"limb\"", "\"train\"") << "'carry' is 'train'";
        QTest::newRow("scale of a giant") << QString(good).replace("1.25", "1e99") << "'scale' is 1e+99";
        QTest::newRow("not an object") << "[1, 2]"
                                       << "is no pairing document";
        QTest::newRow("empty") << ""
                               << "is empty";
        QTest::newRow("deep") << QString(500, '[') << "nested more than 64";
    }
    void wrong_documents_are_refused() {
        QFETCH(QString, text);
        QFETCH(QString, what);
        const std::string path = in_folder("wrong.json");
        write_file(path, text.toStdString());
        const QString error = error_of([&] { read_pairing(read_document(path, "pairing"), path); });
        QVERIFY2(error.contains(what) && error.startsWith(QString::fromStdString(path)), qPrintable(error));
        QVERIFY(!error.contains('\n'));
    }
    void a_character_of_another_rig_is_refused() {
        std::vector<std::string> notes;
        const QString error = error_of([&] {
            load_character(test::rig("dockhand/rig.bvh"), test::rig("ferrier/character.json"), notes);
        });
        QVERIFY2(error.contains("is not in") && error.contains("give the character file of this rig"),
                 qPrintable(error));
    }

    void files_that_cannot_be_had() {
        QVERIFY(error_of([&] { read_file(in_folder("none.bvh")); }).contains("No such file"));
        QVERIFY(error_of([&] { read_file(folder_.path().toStdString()); }).contains("is a folder"));
        QVERIFY(error_of([&] { write_file(in_folder("no/such/folder/x"), "x"); }).contains("is not there"));
        QVERIFY(error_of([&] { load_file(in_folder("none.bvh")); }).contains("none.bvh"));
        write_file(in_folder("picture.png"), "\x89PNG");
        QVERIFY(error_of([&] { load_file(in_folder("picture.png")); }).contains("'.png' files are not read"));
    }
    void a_full_disk_leaves_the_old_file() {
        // A file system of 64 KB where one may be mounted; elsewhere a limit on the size of files.
        const QString small = folder_.filePath("small");
        QDir().mkpath(small);
        const bool is_mounted =
            QProcess::execute("mount", {"-t", "tmpfs", "-o", "size=64k", "tmpfs", small}) == 0;
        const std::string path = in_folder("small/kept.json");
        write_file(path, "old");
        rlimit before{};
        getrlimit(RLIMIT_FSIZE, &before);
        if (!is_mounted) {
            ::signal(SIGXFSZ, SIG_IGN);
            const rlimit low{1000, before.rlim_max};
            setrlimit(RLIMIT_FSIZE, &low);
        }
        const QString error = error_of([&] { write_file(path, std::string(200000, 'x')); });
        setrlimit(RLIMIT_FSIZE, &before);
        const std::string now = read_file(path);
        const int files = int(QDir(small).entryList(QDir::Files | QDir::Hidden).size());
        if (is_mounted) QProcess::execute("umount", {small});
        QVERIFY2(error.contains("could not be written") && error.contains("free some space"),
                 qPrintable(error));
        QCOMPARE(now, std::string("old"));
        QCOMPARE(files, 1);  // nothing half-written is left
    }

    void the_demo_library_opens() {
        const Library library = open_library(test::demo(""));
        QCOMPARE(library.characters.size(), size_t(6));
        QCOMPARE(library.takes.size(), size_t(11));
        std::vector<std::string> notes;
        const LoadedFile take = load_take(test::demo("takes/quay-walk.take.json"), "", notes);
        QCOMPARE(take.character.name, std::string("the performer"));
        QVERIFY(take.take->frames > 500);
    }
    void pairings_are_found_by_id() {
        QDir().mkpath(folder_.filePath("lib/pairings"));
        write_file(in_folder("lib/library.json"),
                   "{\"format\":\"nimble-bone/library\",\"version\":1,\"id\":\"\",\"name\":\"x\"}");
        const Library library = open_library(in_folder("lib"));
        const Pairing pairing = some_pairing();
        const std::string target = in_folder("lib/characters/x/rig.glb");
        write_file(pairing_place(&library, target, pairing.source_id, pairing.target_id),
                   format_document(pairing_document(pairing)));
        Pairing found;
        ReadDocument read;
        std::vector<std::string> troubles;
        QVERIFY(find_pairing(&library, target, pairing.source_id, pairing.target_id, found, read, troubles));
        QVERIFY(found.settings == pairing.settings);
        QVERIFY(!find_pairing(&library, target, pairing.target_id, pairing.source_id, found, read, troubles));
        QVERIFY(troubles.empty());
    }
};

NB_TEST(DocumentsTest)
}  // namespace test_documents
#include "test_documents.moc"
