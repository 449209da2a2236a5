// Broken, huge, foreign and wrongly named input is told in one line, in our words; what is written is whole,
// finite and readable, and never stands in the place of what was read.
// Longer than other files: short tests of one subject, side by side.
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <QDir>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>
#include <atomic>
#include <cmath>
#include <filesystem>
#include <thread>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/uuid.hpp"
#include "core/chain/match.hpp"
#include "core/documents/chains.hpp"
#include "core/documents/character.hpp"
#include "core/documents/take.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/files/scene/child.hpp"
#include "core/files/what_is.hpp"
#include "core/handover/export.hpp"
#include "core/handover/gltf_rest.hpp"
#include "core/library/beside.hpp"
#include "core/library/changes.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_told {

using namespace nb;
namespace fs = std::filesystem;

class ToldTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;
    std::string at(const QString& name) const { return folder_.filePath(name).toStdString(); }

    template <typename Call>
    static QString told(Call call) {
        try {
            call();
        } catch (const FileError& error) {
            return QString::fromStdString(error.what());
        }
        return {};
    }
    void change(const std::string& path, const std::string& from, const std::string& to) {
        std::string text = read_file(path);
        QVERIFY2(text.find(from) != std::string::npos, from.c_str());
        text.replace(text.find(from), from.size(), to);
        write_file(path, text);
    }

  private slots:
    // A15
    void what_others_wrote_stays_at_every_depth() {
        const std::string rig = at("deep/rig.bvh");
        fs::create_directories(at("deep"));
        fs::copy(test::rig("dockhand/rig.bvh"), rig);
        std::vector<std::string> notes;
        Character body = load_file(rig).character;
        body.id = make_uuid();
        body.chains["arm.left"].length_share = 0.5;
        Json document = character_document(body);
        document["roles"]["hips"]["note"] = "cold";
        document["rest"]["note"] = "kept";
        document["rest"]["alignment"]["hand.left"]["note"] = "sore";
        document["conventions"]["note"] = 1;
        document["chains"]["arm.left"]["note"] = true;
        document["theirs"]["more"] = Json::array({1, 2});
        write_file(at("deep/character.json"), format_document(document));
        Character read = load_character(rig, at("deep/character.json"), notes).character;
        read.chains["arm.left"].length_share = 0.25;
        const Json written = character_document(read);
        QCOMPARE(written["roles"]["hips"]["note"].get<std::string>(), std::string("cold"));
        QCOMPARE(written["rest"]["note"].get<std::string>(), std::string("kept"));
        QCOMPARE(written["rest"]["alignment"]["hand.left"]["note"].get<std::string>(), std::string("sore"));
        QCOMPARE(written["conventions"]["note"].get<int>(), 1);
        QVERIFY(written["chains"]["arm.left"]["note"].get<bool>());
        QCOMPARE(written["chains"]["arm.left"]["give"].get<double>(), 0.25);
        QCOMPARE(written["theirs"]["more"].size(), 2u);
        // A role taken away takes what stood in it along; the others keep theirs.
        std::erase_if(read.roles.fills, [](const RoleFill& fill) { return fill.role == "toe.left"; });
        QVERIFY(!character_document(read)["roles"].contains("toe.left"));
    }

    // E9
    void numbers_and_words_of_documents_have_ranges_data() {
        QTest::addColumn<QString>("from");
        QTest::addColumn<QString>("to");
        QTest::addColumn<QString>("key");
        QTest::newRow("beyond int") << "\"version\": 1"
                                    << "\"version\": 1e300"
                                    << "version";
        QTest::newRow("sure beyond one") << "\"confidence\": "
                                         << "\"confidence\": 1e300, \"old\": "
                                         << "confidence";
        QTest::newRow("sure below zero") << "\"confidence\": "
                                         << "\"confidence\": -5, \"old\": "
                                         << "confidence";
        QTest::newRow("ankle under ground") << "\"ankle_height_m\": "
                                            << "\"ankle_height_m\": -5, \"old\": "
                                            << "ankle_height_m";
        QTest::newRow("ankle in the sky") << "\"ankle_height_m\": "
                                          << "\"ankle_height_m\": 1e30, \"old\": "
                                          << "ankle_height_m";
        QTest::newRow("hinge without length") << "\"axis\": ["
                                              << "\"axis\": [0, 0, 0], \"old\": ["
                                              << "hinge";
        QTest::newRow("number for a text") << "\"name\": \""
                                           << "\"name\": 7, \"old\": \""
                                           << "name";
    }
    void numbers_and_words_of_documents_have_ranges() {
        QFETCH(QString, from);
        QFETCH(QString, to);
        QFETCH(QString, key);
        const std::string path = at("ranges.json");
        Character body = load_file(test::rig("dockhand/rig.bvh")).character;
        body.id = make_uuid();
        write_file(path, format_document(character_document(body)));
        change(path, from.toStdString(), to.toStdString());
        std::vector<std::string> notes;
        const QString line = told([&] { load_character(test::rig("dockhand/rig.bvh"), path, notes); });
        QVERIFY2(line.contains("ranges.json") && line.contains(key) && !line.contains('\n'),
                 qPrintable(line));
    }
    void what_a_document_says_twice_or_of_nothing_is_told() {
        Character body = load_file(test::rig("dockhand/rig.bvh")).character;
        body.id = make_uuid();
        Json document = character_document(body);
        document["roles"]["hand.left"]["bone"] = document["roles"]["hand.right"]["bone"];
        write_file(at("twice.json"), format_document(document));
        std::vector<std::string> notes;
        const QString twice =
            told([&] { load_character(test::rig("dockhand/rig.bvh"), at("twice.json"), notes); });
        QVERIFY2(twice.contains("is given to"), qPrintable(twice));
        TakeDocument take;
        take.id = make_uuid();
        take.file = "x.bvh";
        take.trim_first = 9;
        take.trim_last = 3;
        QVERIFY(
            told([&] { read_take_document(take_document(take), "t"); }).contains("'trim' runs from 9 to 3"));
        Json frames = take_document({});
        frames["frames"] = -1;
        frames["id"] = frames["file"] = "x";
        QVERIFY(told([&] { read_take_document(frames, "t"); }).contains("'frames' is -1"));
    }
    void what_is_set_of_chains_names_roles_data() {
        QTest::addColumn<QString>("set");
        QTest::addColumn<QString>("says");
        const auto row = [](const char* name, const char* set, const char* says) {
            QTest::newRow(name) << QString(set) << QString(says);
        };
        row("starts at nothing", R"({"first": "spine.x"})", "'first' is 'spine.x', no role of spine");
        row("ends in another chain", R"({"last": "index.1.left"})",
            "'last' is 'index.1.left', no role of spine");
        row("source starts at nothing", R"({"source_first": "elbow"})", "'source_first' is 'elbow', no role");
        row("ends before it starts", R"({"first": "spine.3", "last": "spine.1"})",
            "starts at spine.3 and ends at spine.1 before it");
        row("matches nothing", R"({"ticks": [{"source": "nobody", "target": "spine.2"}]})", "'nobody'");
        row("driven by nothing", R"({"driven_by": "tentacle"})", "'tentacle' is no chain");
        row("gives too much", R"({"give": 1e300})", "'give' is 1e+300");
        row("a run", R"({"first": "spine.1", "last": "spine.3"})", "");
        row("a run of another chain", R"({"driven_by": "neck", "source_first": "neck.1"})", "");
        row("the plan's own", R"({"first": "", "last": ""})", "");
    }
    void what_is_set_of_chains_names_roles() {
        QFETCH(QString, set);
        QFETCH(QString, says);
        Json chains;
        chains["spine"] = Json::parse(set.toStdString());
        const QString line = told([&] { read_chain_table(chains, "pairing.json"); });
        QVERIFY2(says.isEmpty() ? line.isEmpty() : line.contains(says) && line.contains("pairing.json"),
                 qPrintable(line));
        QVERIFY(!line.contains('\n'));
    }
    // A chain is driven by one of the source, never by what it drives itself: two that name each other are
    // exchanged, and nothing goes round.
    void chains_that_name_each_other_are_exchanged() {
        const Character body = load_file(test::rig("dockhand/rig.bvh")).character;
        ChainTable chains;
        chains["index.left"].driven_by = "middle.left";
        chains["middle.left"].driven_by = "index.left";
        for (const MatchedChain& chain : match_chains(body, body, chains)) {
            const std::string by = chain.name == "index.left"    ? "middle.left"
                                   : chain.name == "middle.left" ? "index.left"
                                                                 : chain.source_name;
            QCOMPARE(chain.source_name, by);
        }
    }

    // E3
    void two_that_take_in_the_same_name_both_have_theirs() {
        const Library library = create_library(at("names"), "One");
        std::vector<LoadedFile> bodies{load_file(test::rig("dockhand/rig.bvh")),
                                       load_file(test::rig("lamp-child/rig.bvh"))};
        constexpr int times = 10;
        std::atomic<int> refused{0};
        const auto add = [&](size_t which) {
            for (int n = 0; n < times; ++n) try {
                    add_character(library, bodies[which], "same");
                    add_take(library, test::capture("01_01.bvh"), "", "same");
                } catch (const FileError&) {
                    ++refused;
                }
        };
        std::thread first(add, 0);
        std::thread second(add, 1);
        first.join();
        second.join();
        const Library now = open_library(library.folder);
        QCOMPARE(refused.load(), 0);
        QCOMPARE(now.characters.size(), size_t(2 * times));
        QCOMPARE(now.takes.size(), size_t(2 * times));
        QVERIFY(now.leftovers.empty());
        std::vector<std::string> notes;
        for (const LibraryEntry& entry : now.characters)
            QVERIFY(!load_character(entry.path, entry.document, notes).character.roles.fills.empty());
        for (const LibraryEntry& entry : now.takes)
            QCOMPARE(read_document(entry.document, "take").at("file"), entry.name + ".bvh");
    }
    void what_was_left_half_done_is_found_and_offered() {
        const Library library = create_library(at("half"), "One");
        add_take(library, test::capture("01_01.bvh"), "", "walk");
        // A program that ended while it renamed: its moves are taken back.
        write_file(
            at("half/.moves-1.json"),
            R"({"format":"nimble-bone/moves","version":1,"moves":[["takes/walk.bvh","takes/run.bvh"],["takes/walk.take.json","takes/run.take.json"]]})");
        fs::rename(at("half/takes/walk.bvh"), at("half/takes/run.bvh"));
        Library now = open_library(library.folder);
        QCOMPARE(now.takes.size(), 1u);
        QCOMPARE(now.takes[0].name, std::string("walk"));
        QVERIFY(!now.takes[0].document.empty() && now.leftovers.empty());
        // One that ended while it took in, and a document whose motion is gone.
        fs::create_directories(at("half/characters/.new-1"));
        fs::remove(at("half/takes/walk.bvh"));
        now = open_library(library.folder);
        QCOMPARE(now.characters.size(), 0u);
        QCOMPARE(now.leftovers.size(), 2u);
        lay_leftovers_aside(now);
        QVERIFY(open_library(library.folder).leftovers.empty());
        QVERIFY(fs::exists(at("half/.trash/leftover-walk.take.json")));
        // The name is free again.
        QCOMPARE(add_take(library, test::capture("01_01.bvh"), "", "walk").name, std::string("walk"));
    }

    // E5
    void nothing_that_is_not_finite_is_written() {
        SkeletonFile flat = test::random_body(3);
        for (Vec3& p : flat.skeleton.rest_p) p.setZero();
        for (EndSite& site : flat.skeleton.end_sites) site.offset_m.setZero();
        const QString line = told([&] { load_parsed(flat, "flat.bvh", "bvh"); });
        QVERIFY2(line.contains("has no extent"), qPrintable(line));
        LoadedFile body = load_file(test::rig("dockhand/rig.bvh"));
        Take take;
        take.frames = 2;
        take.joints = body.character.rig.skeleton.size();
        take.frame_time_text = "0.03";
        for (int f = 0; f < 2; ++f)
            take.R.edit().insert(take.R.end(), body.character.rig.skeleton.rest_R.begin(),
                                 body.character.rig.skeleton.rest_R.end());
        take.R.edit().back().w() = std::nan("");
        for (const char* name : {"nan.bvh", "nan.glb"}) {
            const QString refused = told([&] { export_take(at(name), body.character, take); });
            QVERIFY2(refused.contains("in frame 1 is no finite number"), qPrintable(refused));
            QVERIFY(!fs::exists(at(name)));
        }
        Json document;
        document["a"]["b"] = std::numeric_limits<double>::infinity();
        QVERIFY(told([&] { format_document(document); }).contains("'a/b' is no finite number"));
        SkeletonFile far = test::random_body(3);
        far.skeleton.rest_p[2] = {0, 1e12, 0};
        QVERIFY(told([&] { load_parsed(far, "far.glb", "glb"); }).contains("beyond any length"));
    }

    // E6
    void names_no_bvh_can_hold_are_written_so_that_they_are_read() {
        LoadedFile body = load_file(test::rig("dockhand/rig.bvh"));
        auto& names = body.character.rig.skeleton.names;
        names[3] = "a{b}";
        names[4] = "line\nbreak";
        names[5] = "   ";
        names[6] = "a_b_";
        Take still;
        still.frames = 1;
        still.joints = int(names.size());
        still.frame_time_text = "0.03";
        still.R = body.character.rig.skeleton.rest_R;
        std::vector<std::string> notes;
        export_take(at("names.bvh"), body.character, still, &notes);
        const SkeletonFile back = read_bvh(at("names.bvh"));
        QCOMPARE(back.skeleton.size(), int(names.size()));
        QCOMPARE(back.skeleton.names[3], std::string("a_b_"));
        QCOMPARE(back.skeleton.names[6], std::string("a_b__2"));
        QCOMPARE(notes.size(), 1u);
        QVERIFY2(notes[0].starts_with("4 bone names cannot stand"), notes[0].c_str());
    }

    // E7, E10, E13
    void gltf_is_looked_at_before_it_is_read_data() {
        QTest::addColumn<QByteArray>("json");
        QTest::addColumn<QString>("line");
        const QByteArray head = R"({"asset":{"version":"2.0"},"nodes":[{"name":"a"}],)";
        QTest::newRow("deep") << QByteArray(R"({"asset":{"version":"2.0"},"extras":)") +
                                     QByteArray(5000, '[') + QByteArray(5000, ']') + "}"
                              << "nested more than 200 deep";
        QTest::newRow("outside") << head + R"("buffers":[{"uri":"../../etc/passwd","byteLength":4}]})"
                                 << "outside its own folder";
        QTest::newRow("outside, hidden") << head + R"("buffers":[{"uri":"%2e%2e/x.bin","byteLength":4}]})"
                                         << "outside its own folder";
        QTest::newRow("absolute") << head + R"("buffers":[{"uri":"/etc/passwd","byteLength":4}]})"
                                  << "outside its own folder";
        QTest::newRow("not there") << head + R"("buffers":[{"uri":"gone.bin","byteLength":4}]})"
                                   << "which is not there";
        QTest::newRow("a pipe") << head + R"("buffers":[{"uri":"pipe","byteLength":4}]})"
                                << "which is no file";
        QTest::newRow("picture") << head + R"("images":[{"bufferView":3,"mimeType":"image/png"}]})"
                                 << "picture 0 has a view that does not exist";
        QTest::newRow("picture beyond")
            << head +
                   R"("buffers":[{"byteLength":4}],"bufferViews":[{"buffer":0,"byteLength":400}],"images":[{"bufferView":0,"mimeType":"image/png"}]})"
            << "picture 0 reaches beyond its buffer";
        QTest::newRow("wrong kind") << QByteArray(R"({"asset":{"version":"2.0"},"buffers":7})")
                                    << "'buffers' is no list";
        QTest::newRow("another file")
            << QByteArray("HIERARCHY\nROOT a") << "is no glTF but a BVH motion file";
        QTest::newRow("a page") << QByteArray("<!DOCTYPE html><html>") << "a web page";
    }
    void gltf_is_looked_at_before_it_is_read() {
        QFETCH(QByteArray, json);
        QFETCH(QString, line);
        if (!fs::exists(at("pipe"))) QCOMPARE(::mkfifo(at("pipe").c_str(), 0600), 0);
        write_file(at("looked.gltf"), json.toStdString());
        const QString said = told([&] { load_file(at("looked.gltf")); });
        QVERIFY2(said.contains(line) && !said.contains('\n') && !said.contains("json.exception"),
                 qPrintable(said));
    }
    void a_skin_without_joints_is_told() {
        std::string bytes = read_file(test::demo("characters/dockhand/rig.glb"));
        const size_t skins = bytes.find("\"joints\":[");
        QVERIFY(skins != std::string::npos);
        const size_t end = bytes.find(']', skins);
        // The same length, so that the chunks stay where they are.
        for (size_t i = skins + 10; i < end; ++i) bytes[i] = ' ';
        write_file(at("no-joints.glb"), bytes);
        const QString line = told([&] {
            const LoadedFile file = load_file(at("no-joints.glb"));
            write_as_rest(at("as-rest.glb"), file.character);
        });
        QVERIFY2(line.contains("without joints") || line.contains("no alignment"), qPrintable(line));
    }
    void deep_trees_and_crowds_are_told() {
        std::string json = R"({"asset":{"version":"2.0"},"nodes":[)";
        for (int n = 0; n < 3000; ++n)
            json += (n ? "," : "") + std::string(R"({"name":"n)") + std::to_string(n) + "\"" +
                    (n < 2999 ? ",\"children\":[" + std::to_string(n + 1) + "]" : "") +
                    ",\"translation\":[0,1,0]}";
        json += "]}";
        write_file(at("chain.gltf"), json);
        QVERIFY(told([&] { load_file(at("chain.gltf")); }).contains("more than 512 deep"));
    }

    // E10
    void foreign_scenes_are_read_apart() {
        SkeletonFile body = test::random_body(5);
        body.take = test::random_motion(body, 6, 4);
        body.channels.resize(body.skeleton.names.size());
        body.facts.encoding = "x";
        const std::string bytes = pack(body);
        SkeletonFile back = unpack(bytes, "x");
        QCOMPARE(pack(back), bytes);
        for (const size_t cut : {size_t(3), bytes.size() / 3, bytes.size() - 1})
            QVERIFY(told([&] { unpack(bytes.substr(0, cut), "x"); }).contains("is not whole"));
        std::string wrong = bytes;
        wrong[60] = char(0xFF);
        told([&] { unpack(wrong, "x"); });  // refused or read: never beyond the bytes
        // A reader that breaks, and one that never ends, are one line each; so is a file that is none.
        write_file(at("dies"), "#!/bin/sh\nkill -SEGV $$\n");
        write_file(at("babbles"), "#!/bin/sh\necho Snonsense\n");
        for (const char* name : {"dies", "babbles"}) fs::permissions(at(name), fs::perms::owner_all);
        write_file(at("scene.fbx"), "; FBX 7.4.0 project file\n");
        for (const auto& [reader, words] :
             {std::pair{"dies", "its reader broke on it"}, std::pair{"babbles", "is not whole"}}) {
            qputenv("NB_READER", QByteArray::fromStdString(at(reader)));
            const QString line = told([&] { load_file(at("scene.fbx")); });
            QVERIFY2(line.contains(words) && line.contains("scene.fbx"), qPrintable(line));
        }
        qunsetenv("NB_READER");
    }

    // E12
    void names_in_another_encoding_are_read_shown_and_written() {
        LoadedFile body = load_file(test::rig("dockhand/rig.bvh"));
        std::string text = read_file(test::rig("dockhand/rig.bvh"));
        const std::string old = body.character.rig.skeleton.names[2];
        const std::string latin = "K\xF6rper \xE9";
        for (size_t i = text.find(old); i != std::string::npos; i = text.find(old, i + latin.size()))
            text.replace(i, old.size(), latin);
        write_file(at("latin.bvh"), text);
        LoadedFile read = load_file(at("latin.bvh"));
        QCOMPARE(read.character.rig.skeleton.names[2], std::string("K\xC3\xB6rper \xC3\xA9"));
        QVERIFY(
            std::any_of(read.character.rig.notes.begin(), read.character.rig.notes.end(),
                        [](const std::string& note) { return note.find("Latin-1") != std::string::npos; }));
        // Its own document fits it.
        read.character.id = make_uuid();
        write_file(at("latin.character.json"), format_document(character_document(read.character)));
        std::vector<std::string> notes;
        const LoadedFile again = load_character(at("latin.bvh"), at("latin.character.json"), notes);
        QVERIFY2(notes.empty(), notes.empty() ? "" : notes[0].c_str());
        // Written byte for byte as they were.
        Take still;
        still.frames = 1;
        still.joints = again.character.rig.skeleton.size();
        still.frame_time_text = "0.03";
        still.R = again.character.rig.skeleton.rest_R;
        export_take(at("latin-out.bvh"), again.character, still);
        QVERIFY(read_file(at("latin-out.bvh")).find(latin) != std::string::npos);
        // The same of a .glb, whose JSON ought to be UTF-8: the length of a name is kept, so the chunks fit.
        std::string glb = read_file(test::demo("characters/dockhand/rig.glb"));
        const LoadedFile own = load_file(test::demo("characters/dockhand/rig.glb"));
        std::string name = own.character.rig.skeleton.names[2];
        const std::string quoted = "\"" + name + "\"";
        for (size_t i = glb.find(quoted); i != std::string::npos; i = glb.find(quoted, i + 3))
            glb[i + 1] = '\xF6';
        write_file(at("latin.glb"), glb);
        const LoadedFile in_latin = load_file(at("latin.glb"));
        name.replace(0, 1, "\xC3\xB6");
        QVERIFY(in_latin.character.rig.skeleton.find(name) >= 0);
        QVERIFY(
            std::any_of(in_latin.character.rig.notes.begin(), in_latin.character.rig.notes.end(),
                        [](const std::string& note) { return note.find("Latin-1") != std::string::npos; }));
        still.joints = in_latin.character.rig.skeleton.size();
        still.R = in_latin.character.rig.skeleton.rest_R;
        export_take(at("latin-out.glb"), in_latin.character, still);
        QVERIFY(load_file(at("latin-out.glb")).character.rig.skeleton.find(name) >= 0);
        // Shift-JIS is told from Latin-1 by its letters (JIS X 0208 row 25: the character for "bone").
        QCOMPARE(guess_encoding({"\x8D\x9C", "\x8D\x9C_L"}), std::string("SHIFT_JIS"));
        QCOMPARE(to_utf8("\x8D\x9C", "SHIFT_JIS"), std::string("\xE9\xAA\xA8"));
        QCOMPARE(from_utf8("\xE9\xAA\xA8", "SHIFT_JIS"), std::string("\x8D\x9C"));
        QCOMPARE(guess_encoding({latin}), std::string("WINDOWS-1252"));
        QVERIFY(guess_encoding({"plain", "K\xC3\xB6rper"}).empty());
        for (int byte = 0x80; byte < 0x100; ++byte) {  // every byte there and back
            const std::string one(1, char(byte));
            QCOMPARE(from_utf8(to_utf8(one, "WINDOWS-1252"), "WINDOWS-1252"), one);
        }
    }

    // E13
    void files_say_what_they_really_are() {
        write_file(at("page.bvh"), "<!DOCTYPE html><html><body>404</body></html>");
        QVERIFY(told([&] { load_file(at("page.bvh")); }).contains("a web page: the download went wrong"));
        write_file(at("nothing.bvh"), "");
        QVERIFY(told([&] { load_file(at("nothing.bvh")); }).contains("is empty"));
        write_file(at("cut.glb"), read_file(test::rig("ferrier/rig.glb")).substr(0, 1000));
        QVERIFY(told([&] { load_file(at("cut.glb")); }).contains("is cut off: it holds 1000 of its"));
        // A header may announce more than anybody has; it is spoken of as frames.
        std::string text = read_file(test::rig("dockhand/rig.bvh"));
        QCOMPARE(what_is("PK\x03\x04 and more").substr(0, 13), std::string("a ZIP archive"));
        QCOMPARE(what_is(text), std::string("a BVH motion file (.bvh)"));
    }

    // E14
    void control_characters_are_shown_as_such() {
        const QString line = told([&] { load_file("/no/such\x1b[2Jfile\n.bvh"); });
        QVERIFY2(line.contains("\\x1B[2J") && line.contains("\\x0A") && !line.contains('\x1b'),
                 qPrintable(line));
        QCOMPARE(shown_text("K\xC3\xB6rper"), std::string("K\xC3\xB6rper"));
        QCOMPARE(shown_text("\xC2\x9B\xFF"), std::string("\\xC2\\x9B\\xFF"));
    }

    // E15
    void files_are_written_as_their_owners_have_them() {
        const std::string path = at("kept.json");
        write_file(path, "one");
        QCOMPARE(::chmod(path.c_str(), 0600), 0);
        write_file(path, "two");
        struct stat now {};
        QCOMPARE(::stat(path.c_str(), &now), 0);
        QCOMPARE(int(now.st_mode & 0777), 0600);
        // A link stays a link; what it leads to is written.
        QCOMPARE(::symlink("kept.json", at("link.json").c_str()), 0);
        write_file(at("link.json"), "three");
        QVERIFY(fs::is_symlink(at("link.json")));
        QCOMPARE(read_file(path), std::string("three"));
        // Read-only is a wish.
        QCOMPARE(::chmod(path.c_str(), 0400), 0);
        QVERIFY(told([&] { write_file(path, "four"); }).contains("is read-only"));
        QCOMPARE(read_file(path), std::string("three"));
        // Names as long as the file system has them.
        const std::string longest = at(QString(250, 'n') + ".json");
        write_file(longest, "long");
        QCOMPARE(read_file(longest), std::string("long"));
        // What a writer that died left goes after a day, not before.
        for (const char* name : {".nb-1-1.part", ".nb-1-2.part"}) write_file(at(name), "left");
        fs::last_write_time(at(".nb-1-1.part"), fs::file_time_type::clock::now() - std::chrono::hours(30));
        sweep_parts(folder_.path().toStdString());
        QVERIFY(!fs::exists(at(".nb-1-1.part")) && fs::exists(at(".nb-1-2.part")));
        // Made where nothing is, or not at all.
        QVERIFY(write_new_file(at("new.json"), "mine"));
        QVERIFY(!write_new_file(at("new.json"), "theirs"));
        QCOMPARE(read_file(at("new.json")), std::string("mine"));
        QVERIFY(!move_to_free(at("new.json"), longest));
    }

    // E11, E16: what grows with the file grows with it, not with its square.
    void a_brush_of_bones_is_read() {
        SkeletonFile body = test::random_body(9);
        const int hand = body.skeleton.size() - 1;
        for (int n = 0; n < 4000; ++n) {
            body.skeleton.names.push_back("brush");
            body.skeleton.parents.push_back(n % 2 ? hand : 0);
            body.skeleton.rest_R.push_back(Quat::Identity());
            body.skeleton.rest_p.emplace_back(0.01 * (1 + n % 7), 0.01 * (n % 5), 0.02);
            body.channels.emplace_back();
        }
        const LoadedFile loaded = load_parsed(body, "brush.bvh", "bvh");
        QVERIFY(loaded.character.roles.joint("hips") >= 0);
        QCOMPARE(loaded.character.rig.facts.renamed.size(), 3999u);
    }
};

NB_TEST(ToldTest)
}  // namespace test_told
#include "test_told.moc"
