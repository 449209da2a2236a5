// The command line as a script uses it: what is printed, what is written, and the exit codes of the contract.
// Longer than other files: short tests of one subject, side by side.
#include <fcntl.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/wait.h>

#include <QDir>
#include <QDirIterator>
#include <QImage>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>
#include <array>
#include <filesystem>

#include <fmt/format.h>

#include "core/base/files.hpp"
#include "core/documents/pairing.hpp"
#include "core/documents/take.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/library/controls.hpp"
#include "tests/support/glb_edit.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_command_line {

using namespace nb;

namespace {
struct Run {
    int code;
    QString out, error;
};
Run nbone(const QStringList& arguments, const QStringList& environment = {}) {
    QProcess process;
    auto env = QProcessEnvironment::systemEnvironment();
    for (const QString& entry : environment) env.insert(entry.section('=', 0, 0), entry.section('=', 1));
    env.remove("DISPLAY");
    process.setProcessEnvironment(env);
    process.start(NB_NBONE, arguments);
    process.waitForFinished(120000);
    return {process.exitCode(), QString::fromUtf8(process.readAllStandardOutput()),
            QString::fromUtf8(process.readAllStandardError())};
}
/// The most memory the program held at once, MB; -1 when it did not end well.
double peak_mb(const QStringList& arguments) {
    std::vector<std::string> words{NB_NBONE};
    for (const QString& argument : arguments) words.push_back(argument.toStdString());
    std::vector<char*> argv;
    for (std::string& word : words) argv.push_back(word.data());
    argv.push_back(nullptr);
    pid_t child = 0;
    int status = 0;
    rusage usage{};
    posix_spawn_file_actions_t quiet;
    posix_spawn_file_actions_init(&quiet);
    posix_spawn_file_actions_addopen(&quiet, 1, "/dev/null", O_WRONLY, 0);
    const bool is_started = posix_spawn(&child, NB_NBONE, &quiet, nullptr, argv.data(), environ) == 0;
    posix_spawn_file_actions_destroy(&quiet);
    if (!is_started || wait4(child, &status, 0, &usage) != child || !WIFEXITED(status) ||
        WEXITSTATUS(status) != 0)
        return -1.0;
    return double(usage.ru_maxrss) / 1024.0;
}
/// A take that goes to and fro in another one until it has so many frames.
void write_long_take(const std::string& from, const std::string& to, int frames) {
    const std::string text = read_file(from);
    const size_t motion = text.find("MOTION");
    const QStringList lines =
        QString::fromStdString(text.substr(motion)).split('\n', Qt::SkipEmptyParts);  // 3 before the frames
    const int n = int(lines.size()) - 3;
    std::string out =
        text.substr(0, motion) + fmt::format("MOTION\nFrames: {}\n{}\n", frames, lines[2].toStdString());
    for (int f = 0; f < frames; ++f) {
        const int at = f % (2 * n - 2);
        out += lines[3 + (at < n ? at : 2 * n - 2 - at)].toStdString() + '\n';
    }
    write_file(to, out);
}
QString capture(const char* name) {
    return QString::fromStdString(test::capture(name));
}
QString rig(const char* name) {
    return QString::fromStdString(test::rig(name));
}
QString demo(const char* name) {
    return QString::fromStdString(test::demo(name));
}
}  // namespace

class CommandLineTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    QString in(const QString& name) const { return folder_.filePath(name); }

  private slots:
    void orders_are_handed_over_and_found_stale() {
        QTemporaryDir folder;
        const QString library = folder.filePath("library");
        test::copy_demo(library.toStdString());
        std::filesystem::remove_all((library + "/handed-over").toStdString());
        const QString order = library + "/orders/quay-week.json";
        const Run dry = nbone({"hand-over", order, "--dry"});
        QCOMPARE(dry.code, 0);
        QVERIFY(dry.out.contains("10 files") && dry.out.contains("quay-walk_ferrier_60.glb"));
        QVERIFY(!QDir(library + "/handed-over").exists());
        // A small one, all formats; twice the same bytes.
        std::string text = read_file(order.toStdString());
        const auto put = [&](const std::string& from, const std::string& to) {
            const size_t at = text.find(from);
            QVERIFY2(at != std::string::npos, from.c_str());
            text.replace(at, from.size(), to);
        };
        const size_t pairs = text.find("\"pairs\""), span = text.find("\"span\"");
        text.replace(pairs, span - pairs, R"("pairs": [{"take": "lantern-signal", "character": "dockhand"}],
  )");
        put("\"last\": 0", "\"last\": 60");
        put("\".glb\"", R"(".glb", ".bvh", ".vrma", ".csv")");
        put("quay week", "small");
        const QString small = library + "/orders/small.json";
        write_file(small.toStdString(), text);
        const Run run = nbone({"hand-over", small});
        QVERIFY2(run.code == 0, qPrintable(run.out + run.error));
        QVERIFY(run.out.contains("4 written, 0 skipped, 0 failed"));
        const QString report = library + "/handed-over/small.report.json";
        QCOMPARE(nbone({"hand-over", report, "--stale"}).code, 0);
        QCOMPARE(nbone({"hand-over", small}).out.count("skipped "), 4);
        // The same without the order: the same bytes.
        const QString out = folder.filePath("same.glb");
        const QString body = library + "/characters/dockhand/";
        const Run same = nbone({"transfer", "--take", library + "/takes/lantern-signal.take.json", "--target",
                                body + "rig.glb", "--target-character", body + "character.json", "--travel",
                                "on root", "--reduce", "0.5,0.2", "--out", out, "--threads", "1"});
        QVERIFY2(same.code == 0 || same.code == 4, qPrintable(same.error));
        text = read_file(small.toStdString());
        put("\"last\": 60", "\"last\": 0");
        put("\"skip\"", "\"replace\"");
        write_file(small.toStdString(), text);
        QCOMPARE(nbone({"hand-over", small}).code, 0);
        QVERIFY(read_file(out.toStdString()) ==
                read_file((library + "/handed-over/lantern-signal_dockhand_60.glb").toStdString()));
        // What it was made from changes: stale, exit code 5.
        write_file((body + "character.json").toStdString(),
                   read_file((body + "character.json").toStdString()) + "\n");
        const Run stale = nbone({"hand-over", report, "--stale"});
        QCOMPARE(stale.code, 5);
        QVERIFY(stale.out.contains("character.json has changed"));
        QCOMPARE(nbone({"hand-over", small + "x"}).code, 3);
        QCOMPARE(nbone({"hand-over", folder.filePath("same.glb")}).code, 3);
    }
    void a_killed_hand_over_leaves_whole_files() {  // property 2
        QTemporaryDir folder;
        std::string text = read_file(test::demo("orders/quay-week.json"));
        const std::string there = folder.filePath("out").toStdString();
        text.replace(text.find("handed-over"), 11, there);
        const QString order = folder.filePath("order.json");
        write_file(order.toStdString(), text);
        for (const int after_ms : {700, 1500, 2600}) {
            QProcess process;
            process.start(NB_NBONE,
                          {"hand-over", order, "--library", QString::fromStdString(test::demo(""))});
            QVERIFY(process.waitForStarted());
            QTest::qWait(after_ms);
            process.kill();
            process.waitForFinished();
            // Whatever has its name is whole and can be read; the report says so.
            int whole = 0;
            for (const QFileInfo& file : QDir(folder.filePath("out")).entryInfoList({"*.glb"}, QDir::Files)) {
                if (file.fileName().contains(".unproved")) continue;
                QVERIFY(read_gltf(file.filePath().toStdString()).take.frames > 100);
                ++whole;
            }
            const QString report = folder.filePath("out/quay-week.report.json");
            if (!QFile::exists(report)) continue;
            int told = 0;
            for (const auto& file :
                 QJsonDocument::fromJson(QByteArray::fromStdString(read_file(report.toStdString())))
                     .object()["files"]
                     .toArray()) {
                const QString state = file.toObject()["state"].toString();
                QVERIFY(state == "written" || state == "skipped" || state == "under way" || state == "to do");
                told += state == "written" || state == "skipped" ? 1 : 0;
            }
            // One may have got its name just before it was told.
            QVERIFY2(whole == told || whole == told + 1,
                     qPrintable(QString("%1 files, %2 told").arg(whole).arg(told)));
        }
        // The next run does the rest.
        const Run rest = nbone({"hand-over", order, "--library", QString::fromStdString(test::demo(""))});
        QVERIFY2(rest.code == 0, qPrintable(rest.out + rest.error));
        QCOMPARE(QDir(folder.filePath("out")).entryList({"*_60.glb", "*_120.glb"}, QDir::Files).size(), 10);
    }
    void controls_are_proposed_and_given_by_hand() {
        QTemporaryDir folder;
        const QString body = QString::fromStdString(test::demo("characters/ferrier/"));
        const QStringList asked{"controls",       body + "controls.glb", "--target",
                                body + "rig.glb", "--target-character",  body + "character.json"};
        // By their names alone the demo's controls are found as they were made.
        const QString out = folder.filePath("controls.json");
        const Run run = nbone(asked + QStringList{"--out", out});
        QVERIFY2(run.code == 0, qPrintable(run.error));
        const ControlRig found = read_controls(out.toStdString());
        const ControlRig made = read_controls((body + "controls.json").toStdString());
        for (const Control& one : made.controls)
            QVERIFY2(std::find(found.controls.begin(), found.controls.end(), one) != found.controls.end(),
                     one.node.c_str());
        QCOMPARE(found.controls.size(), made.controls.size());
        QCOMPARE(found.limbs, made.limbs);
        QVERIFY(run.out.contains("arm_L_share") && made.limb("arm.left").node == "arm_L_share");
        QVERIFY(run.out.contains("harbour"));  // takes nothing
        // By hand, and the other side with it.
        const QString by_hand = folder.filePath("by-hand.json");
        QCOMPARE(nbone(asked + QStringList{"--set", "hand_L_ctl=forearm.left", "--out", by_hand}).code, 0);
        for (const Control& one : read_controls(by_hand.toStdString()).controls)
            if (one.node.starts_with("hand_"))
                QCOMPARE(one.goal, std::string(one.node == "hand_L_ctl" ? "forearm.left" : "forearm.right"));
        QCOMPARE(nbone(asked + QStringList{"--set", "hand_L_ctl=wing.left"}).code, 3);
        QCOMPARE(nbone(asked + QStringList{"--set", "nothing=hips"}).code, 3);
        QCOMPARE(nbone(asked + QStringList{"--set", "nothing"}).code, 2);
    }
    void characters_change_as_a_whole() {
        const QString library = in("characters");
        test::copy_demo(library.toStdString());
        const QString ferrier = library + "/characters/ferrier/rig.glb";
        const QString newer = in("newer.glb");
        test::edit_glb(ferrier.toStdString(), newer.toStdString(),
                       [](Json& gltf) { test::node_of(gltf, "humerus.l")["name"] = "arm_a"; });
        const Run told = nbone({"compare-rigs", ferrier, newer});
        QVERIFY(told.out.contains("humerus.l is called arm_a now"));
        QVERIFY(nbone({"compare-rigs", newer, ferrier, "--take-in"}).code == 2);
        const Run taken = nbone({"compare-rigs", ferrier, newer, "--take-in"});
        QCOMPARE(taken.code, 0);
        QVERIFY2(taken.out.contains("the older lies in"), qPrintable(taken.out));
        QVERIFY(QDir(library + "/characters/ferrier/versions")
                    .entryList(QDir::Dirs | QDir::NoDotAndDotDot)
                    .size() == 1);

        const QString house = in("house.family.json");
        QCOMPARE(nbone({"family", "make", ferrier, "--name", "house", "--out", house}).code, 0);
        QCOMPARE(nbone({"family", "make", ferrier, "--name", "house", "--out", house}).code, 2);
        const Run fits = nbone({"family", "fit", ferrier, "--by", house});
        QVERIFY2(fits.out.contains("67 of 67 bones by name"), qPrintable(fits.out));
        QCOMPARE(nbone({"family", "fit", rig("dockhand/rig.bvh"), "--by", house}).code, 4);
        QVERIFY(nbone({"family", "fit", ferrier, "--by", ferrier}).code == 3);
        QCOMPARE(nbone({"family", "make", ferrier, "--name", "crew"}).code, 0);
        QVERIFY(nbone({"family", "list", library}).out.contains("crew: 67 bones, 58 roles, ferrier"));
        QVERIFY(nbone({"family", "give", ferrier}).out.contains("nothing new"));
        QCOMPARE(nbone({"family", "give", ferrier, "--part", "hats"}).code, 2);
        QCOMPARE(nbone({"family", "leave", ferrier}).code, 0);
        QCOMPARE(nbone({"family", "join", ferrier, "--name", "crew"}).code, 0);
        QVERIFY(
            nbone({"family", "fill", library, "--by", library, "--dry"}).out.contains("quay-dog: none fits"));

        const Run takes = nbone({"takes", library, "does:climbs"});
        QVERIFY(takes.out.startsWith("mole-steps ") && takes.out.count('\n') == 1);
        QCOMPARE(nbone({"takes", library, "does:flies"}).code, 2);
    }

    void clips_are_joined() {
        QTemporaryDir folder;
        const QString out = folder.filePath("joined.bvh");
        const QString plan = QString::fromStdString(test::demo("joins/steps-to-quay.json"));
        const Run run = nbone({"join", plan, "--out", out});
        QVERIFY2(run.code == 0, qPrintable(run.error));
        QVERIFY(run.out.contains("foot.left meets within") && run.out.contains("raised by 81"));
        QVERIFY(read_bvh(out.toStdString()).take.frames > 500);
        QCOMPARE(nbone({"join", plan}).code, 2);
    }
    void touch_ups_are_run_by_the_command_line() {
        QTemporaryDir folder;
        const QString touch = folder.filePath("touch.json");
        const auto write = [&](const char* stage) {
            write_file(touch.toStdString(),
                       QString(R"({"format": "nimble-bone/touch-ups", "version": 1, "layers": [
                {"name": "arm", "touches": [{"kind": "turn", "stage": "%1", "what": "upperarm.left",
                 "axes": "world", "turn_deg": [0, 0, 25], "when": {"from_s": 5, "to_s": 6}},
                 {"kind": "pace", "stage": "source", "percent": 50, "when": {"from_s": 7, "to_s": 8}}]}]})")
                           .arg(stage)
                           .toStdString());
        };
        const auto run = [&](const QString& out, const QStringList& more) {
            QProcess nbone;
            nbone.start(NB_NBONE, QStringList{"transfer", "--take", capture("01_01.bvh"), "--target",
                                              rig("ferrier/rig.glb"), "--out", folder.filePath(out)} +
                                      more);
            nbone.waitForFinished(-1);
            return QString(nbone.readAllStandardOutput() + nbone.readAllStandardError());
        };
        run("plain.bvh", {});
        write("last");
        run("touched.bvh", {"--touch-up", touch});
        const SkeletonFile plain = read_bvh(folder.filePath("plain.bvh").toStdString());
        const SkeletonFile touched = read_bvh(folder.filePath("touched.bvh").toStdString());
        const double fps = plain.take.fps();
        QVERIFY(touched.take.frames > plain.take.frames + int(0.9 * fps));
        int arm = -1;
        for (int j = 0; j < plain.skeleton.size() && arm < 0; ++j) {
            const size_t at = size_t(5.5 * fps) * size_t(plain.take.joints) + size_t(j);
            if (angle_between(plain.take.R[at], touched.take.R[at]) > deg_to_rad(20.0)) arm = j;
        }
        QVERIFY(arm >= 0);
        for (int j = 0; j < plain.take.joints; ++j) {
            const size_t at = size_t(4.5 * fps) * size_t(plain.take.joints) + size_t(j);
            // The contacts of the slowed part are others; before the touch-ups all is as it was.
            QVERIFY2(angle_between(plain.take.R[at], touched.take.R[at]) < deg_to_rad(0.5),
                     qPrintable(QString("%1 %2")
                                    .arg(plain.skeleton.names[size_t(j)].c_str())
                                    .arg(rad_to_deg(angle_between(plain.take.R[at], touched.take.R[at])))));
        }
        // Before contacts, and with a pairing that keeps them.
        write("angles");
        QVERIFY(!run("angles.bvh", {"--touch-up", touch}).contains("does nothing"));
        const SkeletonFile before = read_bvh(folder.filePath("angles.bvh").toStdString());
        const size_t at = size_t(5.5 * fps) * size_t(plain.take.joints) + size_t(arm);
        QVERIFY(angle_between(plain.take.R[at], before.take.R[at]) > deg_to_rad(20.0));
        write("never");
        QVERIFY(run("never.bvh", {"--touch-up", touch}).contains("the stage 'never' is not known"));
    }

    // B17
    void what_lies_beside_is_read_by_its_escaped_name() {
        // RFC 3986 2.1: %20 is a space. Two nodes, keys of time and rotation in one buffer.
        const QString folder = folder_.filePath("beside");
        QVERIFY(QDir().mkpath(folder));
        QFile text(folder + "/a.gltf");
        QVERIFY(text.open(QFile::WriteOnly));
        text.write(R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
 "nodes":[{"name":"a","children":[1],"translation":[0,1,0]},{"name":"b","translation":[1,0,0]}],
 "animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"rotation"}}],
   "samplers":[{"input":0,"output":1}]}],
 "accessors":[{"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR","min":[0],"max":[1]},
   {"bufferView":1,"componentType":5126,"count":2,"type":"VEC4"}],
 "bufferViews":[{"buffer":0,"byteLength":8},{"buffer":0,"byteOffset":8,"byteLength":32}],
 "buffers":[{"byteLength":40,"uri":"the%20keys.bin"}]})");
        text.close();
        const std::array<float, 10> keys{0, 1, 0, 0, 0, 1, 0, 0, 0, 1};
        QFile binary(folder + "/the keys.bin");
        QVERIFY(binary.open(QFile::WriteOnly));
        binary.write(reinterpret_cast<const char*>(keys.data()), qint64(sizeof keys));
        binary.close();
        QProcess nbone;
        nbone.start(NB_NBONE, {"inspect", folder + "/a.gltf"});
        QVERIFY(nbone.waitForFinished());
        const QByteArray told = nbone.readAllStandardOutput() + nbone.readAllStandardError();
        QVERIFY2(told.contains("2 bones, 2 frames"), told.constData());
    }
    void inspect_tells_what_is_in_a_file() {
        const Run run = nbone({"inspect", capture("01_01.bvh"), "--json"});
        QCOMPARE(run.code, 0);
        const QJsonObject json = QJsonDocument::fromJson(run.out.toUtf8()).object();
        QCOMPARE(json["frames"].toInt(), 2752);
        QCOMPARE(json["bones"].toInt(), 31);
        QCOMPARE(json["frame_time_s"].toString(), QString(".0083333"));
        QVERIFY(json["unit_is_guessed"].toBool());
        QVERIFY(json["height_cm"].toDouble() > 140 && json["height_cm"].toDouble() < 190);
        QVERIFY(nbone({"inspect", rig("ferrier/rig.glb")}).out.contains("no motion"));
    }
    void bad_input_is_one_line_and_code_3_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("place");
        QTest::newRow("nan") << "HIERARCHY\nROOT a\n{\nOFFSET 0 nan 0\n}\n"
                             << ":4:10:";
        QTest::newRow("empty") << ""
                               << "in.bvh: is empty";
        QTest::newRow("cut off") << "HIERARCHY\nROOT a\n{\n"
                                 << "cut off";
        QTest::newRow("binary") << QString(QByteArray("\x00\x01\x02 garbage", 12)) << "in.bvh";
    }
    void bad_input_is_one_line_and_code_3() {
        QFETCH(QString, text);
        QFETCH(QString, place);
        write_file(in("in.bvh").toStdString(), text.toStdString());
        for (const QStringList& arguments : {QStringList{"inspect", in("in.bvh")},
                                             {"characterize", in("in.bvh")},
                                             {"transfer", "--take", in("in.bvh"), "--target",
                                              rig("ferrier/rig.glb"), "--out", in("o.bvh")}}) {
            const Run run = nbone(arguments);
            QCOMPARE(run.code, 3);
            QCOMPARE(run.error.trimmed().count('\n'), 0);
            QVERIFY2(run.error.contains(place), qPrintable(run.error));
        }
        QCOMPARE(nbone({"inspect", in("not there.bvh")}).code, 3);
        QVERIFY(!QFile::exists(in("o.bvh")));
    }
    void characterize_gives_the_promised_json() {
        const Run run =
            nbone({"characterize", capture("01_01.bvh"), "--out", in("character.json"), "--json"});
        QCOMPARE(run.code, 0);
        const QJsonObject json = QJsonDocument::fromJson(run.out.toUtf8()).object();
        const QJsonObject thigh = json["roles"].toObject()["thigh.left"].toObject();
        QCOMPARE(thigh["bone"].toString(), QString("LeftUpLeg"));
        QVERIFY(thigh["confidence"].toDouble() > 0.6 && thigh["confidence"].toDouble() <= 1.0);
        QVERIFY(!thigh["evidence"].toArray().isEmpty());
        QVERIFY(json["missing"].toArray().isEmpty());
        QVERIFY(json["unassigned"].isArray());
        QVERIFY(QFile::exists(in("character.json")));
    }
    /// One rig's characterization on another of its kind; a plan of one's own; both standards written.
    void characterize_reuses_and_writes_standards() {
        const QString rig_file = QString::fromStdString(test::demo("characters/net-mender/rig.glb"));
        const QString known = QString::fromStdString(test::demo("characters/net-mender/character.json"));
        const Run run = nbone({"characterize", rig_file, "--apply", known, "--ignore-names", "--vrm",
                               in("mender.vrm.glb"), "--iso-names", in("mender.bvh"), "--json"});
        QVERIFY2(run.code == 0, qPrintable(run.error));
        const QJsonObject json = QJsonDocument::fromJson(run.out.toUtf8()).object();
        QCOMPARE(json["plan"].toString(), QString("biped"));
        QVERIFY(json["differences"].toArray()[0].toString().contains("by their very name"));
        QCOMPARE(json["differences"].toArray().size(), qsizetype(1));
        QVERIFY(json["twists"].isArray() && json["check"].isArray());
        QVERIFY(load_file(in("mender.vrm.glb").toStdString()).character.roles.missing.empty());
        QVERIFY(load_file(in("mender.bvh").toStdString()).character.rig.skeleton.find("l_wrist") >= 0);
        const Run misfit = nbone({"characterize", capture("01_01.bvh"), "--apply", in("none.json")});
        QCOMPARE(misfit.code, 3);
        write_file(in("plan.json").toStdString(),
                   R"({"format": "nimble-bone/body-plan", "version": 1, "name": "my crew", "extends": "biped",
                       "chains": [], "needed": ["neck.1"]})");
        const Run planned =
            nbone({"characterize", capture("01_01.bvh"), "--plan", in("plan.json"), "--json"});
        QCOMPARE(planned.code, 0);
        QCOMPARE(QJsonDocument::fromJson(planned.out.toUtf8()).object()["plan"].toString(),
                 QString("my crew"));
        const Run unknown = nbone({"characterize", capture("01_01.bvh"), "--plan", "fish"});
        QCOMPARE(unknown.code, 3);
    }
    void inspect_has_all_findings() {
        const Run run = nbone({"inspect", capture("01_01.bvh"), "--json"});
        QCOMPARE(run.code, 0);
        const QJsonArray findings = QJsonDocument::fromJson(run.out.toUtf8()).object()["findings"].toArray();
        QStringList kinds;
        for (const QJsonValue& finding : findings) {
            kinds << finding["kind"].toString();
            QVERIFY(!finding["what"].toString().isEmpty() && finding["bones"].isArray());
        }
        for (const auto* kind : {"unit", "up axis", "facing", "rest pose", "zero-length bones", "frame rate"})
            QVERIFY2(kinds.contains(kind), kind);
    }
    void align_tells_degrees_and_makes_a_rest() {
        const QString mender = QString::fromStdString(test::demo("characters/net-mender/rig.glb"));
        const Run run = nbone({"align", mender, "--against", capture("01_01.bvh"), "--as-rest",
                               in("rest.glb"), "--out", in("aligned.json"), "--json"});
        QVERIFY2(run.code == 0, qPrintable(run.error));
        const QJsonObject json = QJsonDocument::fromJson(run.out.toUtf8()).object();
        const QJsonObject arm = json["roles"].toObject()["upperarm.left"].toObject();
        QVERIFY(std::abs(arm["before_deg"].toDouble() - 58.0) < 0.1);  // as its maker lowered it
        QVERIFY(arm["after_deg"].toDouble() < 1e-3);
        QVERIFY(json["as_rest"].toObject()["largest_vertex_move_m"].toDouble() < 1e-5);
        QVERIFY(json["as_rest"].toObject()["largest_change_over_limbering_m"].toDouble() > 0.0);
        bool has_unknown = false;
        for (const QJsonValue& row : json["against"].toArray()) {
            QVERIFY(row["direction_deg"].toDouble() < 0.01);
            has_unknown |=
                row["role"] == "hand.left" && !row["roll_known"].toBool();  // the capture has no fingers
        }
        QVERIFY(has_unknown);
        // The rig of its own rest stands in the stance already.
        const Run again = nbone({"align", in("rest.glb"), "--json"});
        const QJsonObject stands = QJsonDocument::fromJson(again.out.toUtf8()).object();
        QVERIFY(stands["roles"].toObject()["upperarm.left"].toObject()["turn_deg"].toDouble() < 0.01);
        const Run lowered =
            nbone({"align", mender, "--stance", "a:30", "--thumb", "keep", "--fingers", "keep"});
        QVERIFY(lowered.code == 0 && lowered.out.contains("A 30°"));
        const Run from_file = nbone({"align", mender, "--stance", capture("01_01.bvh")});
        QCOMPARE(from_file.code, 0);
        for (const QStringList& wrong :
             {QStringList{"--stance", "kneeling"}, {"--thumb", "far"}, {"--fingers", "some"}})
            QCOMPARE(nbone(QStringList{"align", mender} + wrong).code, 2);
        const Run bvh = nbone({"align", rig("dockhand/rig.bvh"), "--as-rest", in("no.glb")});
        // A rig of another format is written as it is in memory.
        QCOMPARE(bvh.code, 0);
        QVERIFY(QFile::exists(in("no.glb")) && !QFile::exists(in("no.own-rest.glb")));
    }
    void limbering_writes_a_certificate() {
        const QString folder = QString::fromStdString(test::demo("characters/dockhand"));
        const Run run = nbone({"limber", folder + "/rig.glb", "--character", folder + "/character.json",
                               "--out", in("certificate.json")});
        QVERIFY2(run.code == 0, qPrintable(run.error));
        QVERIFY(run.out.contains("directions within"));
        QVERIFY(QFile::exists(in("certificate.json")));
    }
    void transfer_keeps_names_unit_axes_and_frames() {
        const QString out = in("dockhand.bvh");
        const Run run = nbone({"transfer", "--take", capture("01_01.bvh"), "--target",
                               rig("dockhand/rig.bvh"), "--target-character", rig("dockhand/character.json"),
                               "--out", out, "--review", in("review.json")});
        QCOMPARE(run.code, 0);
        const SkeletonFile written = read_bvh(out.toStdString());
        const SkeletonFile rig = read_bvh(test::rig("dockhand/rig.bvh"));
        QCOMPARE(written.skeleton.names, rig.skeleton.names);
        QCOMPARE(written.take.frames, 2752);
        QCOMPARE(written.take.frame_time_text, std::string(".0083333"));
        for (size_t j = 0; j < rig.skeleton.rest_p.size(); ++j)
            QVERIFY((written.skeleton.rest_p[j] - rig.skeleton.rest_p[j]).norm() < 1e-6);
        QCOMPARE(
            QJsonDocument::fromJson(QByteArray::fromStdString(read_file(in("review.json").toStdString())))
                .object()["frames"]
                .toInt(),
            2752);
    }
    void ranges_rates_passes_and_threads() {
        const auto carry = [&](const QStringList& more, const QString& name) {
            return nbone(QStringList{"transfer", "--take", capture("01_01.bvh"), "--target",
                                     rig("lamp-child/rig.bvh"), "--out", in(name)} +
                         more);
        };
        QCOMPARE(carry({"--frames", "100:160"}, "a.bvh").code, 0);
        QCOMPARE(read_bvh(in("a.bvh").toStdString()).take.frames, 60);
        QCOMPARE(carry({"--fps", "30"}, "b.bvh").code, 0);
        QCOMPARE(read_bvh(in("b.bvh").toStdString()).take.frames, 688);
        QCOMPARE(carry({"--threads", "1"}, "c.bvh").code, 0);
        QCOMPARE(carry({"--threads", "2"}, "d.bvh").code, 0);
        QCOMPARE(read_file(in("c.bvh").toStdString()), read_file(in("d.bvh").toStdString()));
        QCOMPARE(carry({"--passes", "root,angles"}, "e.bvh").code, 0);
        QVERIFY(read_file(in("e.bvh").toStdString()) != read_file(in("c.bvh").toStdString()));
        QCOMPARE(carry({"--frames", "5:9999"}, "f.bvh").code, 2);
        QCOMPARE(carry({"--passes", "dance"}, "f.bvh").code, 2);
        QCOMPARE(carry({"--fps", "-3"}, "f.bvh").code, 2);
        QCOMPARE(nbone({}).code, 2);
        QCOMPARE(nbone({"transfer", "--take", "x"}).code, 2);
        QCOMPARE(nbone({"--help"}).code, 0);
        QCOMPARE(nbone({"transfer", "--take", capture("01_01.bvh"), "--target", rig("lamp-child/rig.bvh"),
                        "--out", in("o.xyz")})
                     .code,
                 2);
    }
    /// What is read is never written over, and what is there only when that is said.
    void outputs_never_replace_inputs() {
        const auto before = [](const QString& path) { return read_file(path.toStdString()); };
        for (const char* name : {"own.bvh", "own.character.json", "own.take.json"})
            QFile::copy(QString::fromStdString(test::rig(
                            QString(name).endsWith(".bvh") ? "dockhand/rig.bvh" : "dockhand/character.json")),
                        in(name));
        QFile::copy(capture("01_01.bvh"), in("take.bvh"));
        QFile::link(in("take.bvh"), in("link.bvh"));
        const std::string rig_text = before(in("own.bvh"));
        const std::string take_text = before(in("take.bvh"));
        const std::vector<QStringList> wrong{
            {"transfer", "--take", in("take.bvh"), "--target", in("own.bvh"), "--out", in("own.bvh")},
            {"transfer", "--take", in("take.bvh"), "--target", in("own.bvh"), "--out", in("take.bvh")},
            {"transfer", "--take", in("take.bvh"), "--target", in("own.bvh"), "--out", in("link.bvh")},
            {"transfer", "--take", in("take.bvh"), "--target", in("own.bvh"), "--out", in("x.bvh"),
             "--review", in("x.bvh")},
            {"characterize", in("own.bvh"), "--out", in("own.bvh")},
            {"characterize", in("own.bvh"), "--iso-names", in("own.bvh")},
            {"align", in("own.bvh"), "--character", in("own.character.json"), "--out",
             in("own.character.json")},
            {"limber", in("own.bvh"), "--out", in("own.bvh")},
            {"map", "--take", in("take.bvh"), "--target", in("own.bvh"), "--out", in("take.bvh")}};
        for (QStringList arguments : wrong)
            for (const bool is_forced : {false, true}) {
                if (is_forced) arguments << "--force";
                const Run run = nbone(arguments);
                QVERIFY2(run.code == 2, qPrintable(arguments.join(' ') + run.error));
                QVERIFY2(run.error.contains("a file it reads") || run.error.contains("the same file"),
                         qPrintable(run.error));
            }
        QCOMPARE(before(in("own.bvh")), rig_text);
        QCOMPARE(before(in("take.bvh")), take_text);
        write_file(in("there.json").toStdString(), "somebody's");
        const QStringList onto{"characterize", in("own.bvh"), "--out", in("there.json")};
        const Run refused = nbone(onto);
        QCOMPARE(refused.code, 2);
        QVERIFY2(refused.error.contains("--force writes over it"), qPrintable(refused.error));
        QCOMPARE(before(in("there.json")), std::string("somebody's"));
        QCOMPARE(nbone(onto + QStringList{"--force"}).code, 0);
        QVERIFY(before(in("there.json")) != "somebody's");
    }
    void what_cannot_be_said_or_done_is_no_success() {
        QProcess full;
        full.setStandardOutputFile("/dev/full");
        full.start(NB_NBONE, {"inspect", rig("ferrier/rig.glb")});
        QVERIFY(full.waitForFinished(20000));
        QCOMPARE(full.exitCode(), 3);
        QVERIFY(full.readAllStandardError().contains("could not be written"));
        QCOMPARE(nbone({"transfer", "--take", capture("01_01.bvh"), "--target", rig("ferrier/rig.glb"),
                        "--out", in("o2.bvh"), "--fps", "nan"})
                     .code,
                 2);
        QCOMPARE(nbone({"picture", "--take", capture("01_01.bvh"), "--frame", "1", "--view", "front", "--out",
                        in("p.jpg")})
                     .code,
                 2);
        const Run many = nbone({"transfer", "--take", capture("01_01.bvh"), "--target",
                                rig("ferrier/rig.glb"), "--out", in("o2.bvh"), "--animation", "99"});
        QCOMPARE(many.code, 3);
        QVERIFY2(many.error.contains("no number 99"), qPrintable(many.error));
    }
    /// Every scene file of the test package is read or told in one line, by a process of its own; none ends
    /// the program (assimp-testmodels of Debian).
    void files_of_other_makers_are_read_or_told() {
        QDirIterator it("/usr/share/assimp/models", QDir::Files, QDirIterator::Subdirectories);
        int told = 0;
        int read = 0;
        while (it.hasNext()) {
            const QString file = it.next();
            const Run run = nbone({"inspect", file});
            QVERIFY2(run.code == 0 || run.code == 3, qPrintable(file + run.error));
            if (run.code == 3) QVERIFY2(run.error.trimmed().count('\n') == 0, qPrintable(run.error));
            for (const char* raw : {"json.exception", "std::", "bad_alloc", "FBX-Tokenize", "basic_string"})
                QVERIFY2(!run.error.contains(raw), qPrintable(run.error));
            (run.code == 0 ? read : told)++;
        }
        qInfo() << read << "read," << told << "told";
        QVERIFY(read + told > 150);
    }
    // E16: what is held grows by the frame; what 200,000 frames would take is computed from two lengths.
    void long_takes_are_carried_within_a_gigabyte_data() {
        QTest::addColumn<QString>("out");
        QTest::newRow("bvh") << "long_out.bvh";
        QTest::newRow("glb") << "long_out.glb";
    }
    void long_takes_are_carried_within_a_gigabyte() {
        QFETCH(QString, out);
        const std::array<int, 2> frames{10000, 40000};
        std::array<double, 2> mb{};
        for (size_t i = 0; i < 2; ++i) {
            write_long_take(test::demo("takes/quay-walk.bvh"), in("long.bvh").toStdString(), frames[i]);
            mb[i] = peak_mb({"transfer", "--take", in("long.bvh"), "--target",
                             demo("characters/dockhand/rig.glb"), "--out", in(out), "--force"});
            QVERIFY(mb[i] > 0.0);
        }
        const double a_frame = (mb[1] - mb[0]) / (frames[1] - frames[0]);
        const double at_200000 = mb[0] + (200000 - frames[0]) * a_frame;
        qInfo() << mb[0] << mb[1] << "MB;" << 1024.0 * a_frame << "KB a frame; at 200,000:" << at_200000
                << "MB";
        QVERIFY2(a_frame > 0.0 && at_200000 <= 1000.0, qPrintable(QString::number(at_200000)));
    }
    // E17: a library's takes are read one after another.
    void many_takes_are_reviewed_in_the_memory_of_one() {
        std::array<double, 2> mb{};
        int made = 0;
        QDir library(in("many"));
        library.mkpath("takes");
        library.mkpath("characters/lamp-child");
        QVERIFY(QFile::copy(demo("library.json"), library.filePath("library.json")));
        for (const char* name : {"rig.bvh", "character.json"})
            QFile::copy(rig((std::string("lamp-child/") + name).c_str()),
                        library.filePath(QString("characters/lamp-child/") + name));
        for (size_t i = 0; i < 2; ++i) {
            for (const int until = i == 0 ? 3 : 15; made < until; ++made)
                QVERIFY(QFile::copy(demo("takes/weary-watch.bvh"),
                                    library.filePath(QString("takes/watch-%1.bvh").arg(made))));
            mb[i] = peak_mb({"review-table", library.path(), "--out", in("many.csv"), "--force"});
            QVERIFY(mb[i] > 0.0);
            const QString table = QString::fromStdString(read_file(in("many.csv").toStdString()));
            QCOMPARE(table.count('\n'), made + 1);
        }
        // All frames of a take with its result are a few MB: 12 more of them held would be far more.
        qInfo() << mb[0] << "MB for 3 takes," << mb[1] << "MB for 15";
        QVERIFY2(mb[1] < mb[0] + 4.0, qPrintable(QString("%1 %2").arg(mb[0]).arg(mb[1])));
    }
    void glb_comes_out_too() {
        QCOMPARE(nbone({"transfer", "--take", demo("takes/quay-walk.take.json"), "--target",
                        rig("ferrier/rig.glb"), "--out", in("o.glb")})
                     .code,
                 0);
        QCOMPARE(read_gltf(in("o.glb").toStdString()).take.frames, 538);
    }
    void unsure_roles_are_code_4_and_listed() {
        std::string text = read_file(test::rig("dockhand/rig.bvh"));
        // The names of the legs say the other side than the body.
        for (const std::string part : {"UpLeg_jnt", "LowLeg_jnt", "Ankle_jnt", "Ball_jnt"})
            for (size_t at = text.find(part); at != std::string::npos; at = text.find(part, at + part.size()))
                if (at >= 2) text[at - 2] = text[at - 2] == 'L' ? 'R' : 'L';
        write_file(in("odd.bvh").toStdString(), text);
        const Run run = nbone({"transfer", "--take", capture("01_01.bvh"), "--target", in("odd.bvh"), "--out",
                               in("odd_out.bvh")});
        QCOMPARE(run.code, 4);
        QVERIFY2(run.error.contains("shin.left") && run.error.contains("unsure"), qPrintable(run.error));
        QVERIFY(QFile::exists(in("odd_out.bvh")));
    }
    void nothing_else_is_left_behind() {
        for (const QString& name : QDir(folder_.path()).entryList(QDir::Files))
            QVERIFY2(!name.contains(".part"), qPrintable(name));
    }
    // B13
    void pictures_show_what_the_transfer_writes() {
        Pairing pairing;
        pairing.settings.scale = 0.4;
        pairing.id = pairing.source_id = pairing.target_id = "x";
        write_file(in("small.json").toStdString(), format_document(pairing_document(pairing)));
        const auto picture = [&](const QStringList& more) {
            const QString out = in("of.png");
            const Run run =
                nbone(QStringList{"picture", "--take", demo("takes/quay-walk.take.json"), "--target",
                                  demo("characters/lamp-child/rig.glb"), "--target-character",
                                  demo("characters/lamp-child/character.json"), "--frame", "300", "--view",
                                  "side", "--spread", "0", "--out", out, "--force"} +
                      more);
            return run.code == 0 ? QImage(out) : QImage();
        };
        const QImage as_it_is = picture({});
        QVERIFY(!as_it_is.isNull());
        QVERIFY(picture({"--pairing", in("small.json")}) != as_it_is);
        QVERIFY(picture({"--passes", "gather,root,angles"}) != as_it_is);
        QCOMPARE(picture({"--passes", "gather,root,angles,reach,contacts,clear,twist"}), as_it_is);
    }
    void maps_know_what_is_set_for_the_take() {
        Pairing pairing;
        pairing.id = pairing.source_id = pairing.target_id = "x";
        const std::string key =
            read_take_document(read_document(test::demo("takes/quay-walk.take.json"), "take"), "quay-walk")
                .id;
        pairing.settings.takes[key]["spine"].is_left_out = true;
        write_file(in("one-take.json").toStdString(), format_document(pairing_document(pairing)));
        const auto map = [&](const char* take) {
            return nbone({"map", "--take", demo(take), "--target", rig("ferrier/rig.glb"), "--pairing",
                          in("one-take.json")})
                .out;
        };
        QVERIFY(map("takes/quay-walk.take.json").contains("spine is left out by hand"));
        QVERIFY(!map("takes/haul-rope.take.json").contains("spine is left out by hand"));
    }
    void pictures_need_no_display() {
        for (const auto* view : {"front", "side", "top", "three-quarter"}) {
            const Run run =
                nbone({"picture", "--take", capture("01_01.bvh"), "--target", rig("ferrier/rig.glb"),
                       "--frame", "600", "--view", view, "--out", in(QString(view) + ".png")});
            QVERIFY2(run.code == 0, qPrintable(run.error));
            const QImage image(in(QString(view) + ".png"));
            QCOMPARE(image.size(), QSize(1280, 800));
            int amber = 0, teal = 0;
            for (int y = 0; y < 800; y += 4)
                for (int x = 0; x < 1280; x += 4) {
                    const QColor c = image.pixelColor(x, y);
                    if (c.hsvSaturation() > 110 && c.hsvHue() > 25 && c.hsvHue() < 45) ++amber;
                    if (c.hsvSaturation() > 110 && c.hsvHue() > 165 && c.hsvHue() < 185) ++teal;
                }
            QVERIFY2(amber > 150 && teal > 150,
                     qPrintable(QString("%1: %2 %3").arg(view).arg(amber).arg(teal)));
        }
        QCOMPARE(nbone({"picture", "--take", capture("01_01.bvh"), "--frame", "99999", "--view", "top",
                        "--out", in("x.png")})
                     .code,
                 2);
    }
    /// Installed, and run from another folder: what it looks for is what was installed.
    void what_is_installed_runs_by_itself() {
        const QString prefix = folder_.filePath("installed");
        QProcess install;
        install.start("cmake", {"--install", NB_BUILD_DIR, "--prefix", prefix});
        QVERIFY(install.waitForFinished(60000));
        QVERIFY2(install.exitCode() == 0, install.readAllStandardError().constData());
        const auto share = [&](const QString& path) { return prefix + "/share/" + path; };
        for (const QString path :
             {"applications/nimble-bone.desktop", "icons/hicolor/scalable/apps/nimble-bone.svg",
              "mime/packages/nimble-bone.xml", "fonts/opentype/nimble-bone/B612-Regular.otf",
              "nimble-bone/handbook/README.md", "nimble-bone/screenshots/chains.png",
              "doc/nimble-bone/copyright"})
            QVERIFY2(QFileInfo::exists(share(path)), qPrintable(path));
        // What the desktop entry starts is there.
        const QString entry =
            QString::fromStdString(read_file(share("applications/nimble-bone.desktop").toStdString()));
        const QString starts = entry.section("\nExec=", 1).section(' ', 0, 0);
        QVERIFY2(QFileInfo(prefix + "/bin/" + starts).isExecutable(), qPrintable(starts));
        // Every picture of the handbook came along.
        static const QRegularExpression picture("!\\[[^]]*\\]\\(\\.\\./([^)]+)\\)");
        int pictures = 0;
        for (const QFileInfo& page : QDir(share("nimble-bone/handbook")).entryInfoList({"*.md"}))
            for (auto found =
                     picture.globalMatch(QString::fromStdString(read_file(page.filePath().toStdString())));
                 found.hasNext(); ++pictures)
                QVERIFY(QFileInfo::exists(share("nimble-bone/" + found.next().captured(1))));
        QVERIFY(pictures >= 5);
        const auto limber = [&] {
            QProcess process;
            process.setWorkingDirectory("/");
            auto env = QProcessEnvironment::systemEnvironment();
            env.remove("NB_SHARE");
            process.setProcessEnvironment(env);
            process.start(prefix + "/bin/nbone", {"limber", demo("characters/dockhand/rig.glb")});
            process.waitForFinished(120000);
            return std::pair(process.exitCode(), QString::fromUtf8(process.readAllStandardError()));
        };
        QCOMPARE(limber().first, 0);
        // It reads the take that was installed, not the one of this tree.
        write_file(share("nimble-bone/takes/limbering.bvh").toStdString(), "HIERARCHY\n");
        const auto [code, told] = limber();
        QCOMPARE(code, 3);
        QVERIFY2(told.contains("installed"), qPrintable(told));
    }
};

NB_TEST(CommandLineTest)
}  // namespace test_command_line
#include "test_command_line.moc"
