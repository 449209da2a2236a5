// The BVH reader and writer: what files of the trade look like, what is refused and where.
// Captures: assimp-testmodels BVH/01_01.bvh, BVH/01_03.bvh.
#include <QtTest>

#include <clocale>

#include "core/base/fault.hpp"
#include "core/files/bvh.hpp"
#include "core/handover/export.hpp"
#include "core/intake/load.hpp"
#include "core/motion/kinematics.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_bvh {

using namespace nb;

namespace {

const char* small_file =
    "HIERARCHY\nROOT Hips\n{\n  OFFSET 0 0 0\n"
    "  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n"
    "  JOINT Chest\n  {\n    OFFSET 0 10 0\n    CHANNELS 3 Zrotation Xrotation Yrotation\n"
    "    End Site\n    {\n      OFFSET 0 5 0\n    }\n  }\n}\n"
    "MOTION\nFrames: 2\nFrame Time: .0083333\n"
    "1 2 3 0 0 0 90 0 0\n4 5 6 0 0 0 0 0 0\n";

std::string error_of(const std::string& text) {
    try {
        parse_bvh(text, "f.bvh");
    } catch (const FileError& error) {
        return error.what();
    }
    return "no error";
}

std::string with(std::string text, const std::string& from, const std::string& to) {
    const size_t at = text.find(from);
    if (at == std::string::npos) qFatal("the test's text lacks '%s'", from.c_str());
    return text.replace(at, from.size(), to);
}

double largest_turn_rad(const SkeletonFile& a, const SkeletonFile& b) {
    double largest = a.take.R.size() == b.take.R.size() ? 0.0 : 1e30;
    for (size_t i = 0; i < std::min(a.take.R.size(), b.take.R.size()); ++i)
        largest = std::max(largest, angle_between(a.take.R[i], b.take.R[i]));
    return largest;
}

}  // namespace

class BvhTest : public QObject {
    Q_OBJECT

  private slots:
    void reads_hierarchy_and_motion() {
        const SkeletonFile file = parse_bvh(small_file, "f.bvh");
        QCOMPARE(file.skeleton.size(), 2);
        QCOMPARE(file.skeleton.names[1], std::string("Chest"));
        QCOMPARE(file.skeleton.end_sites.size(), size_t(1));
        QCOMPARE(file.skeleton.end_sites[0].offset_m.y(), 5.0);
        QCOMPARE(file.take.frames, 2);
        QCOMPARE(file.take.frame_time_text, std::string(".0083333"));
        QCOMPARE(file.take.p[1].z(), 6.0);
        // 90 degrees about Z lay the chest's end to -X.
        const Pose pose = pose_at(file.skeleton, file.take, 0);
        QVERIFY((pose.R[1] * Vec3(0, 5, 0) - Vec3(-5, 0, 0)).norm() < 1e-12);
        QVERIFY((pose.p[1] - Vec3(1, 12, 3)).norm() < 1e-12);
    }

    void accepts_what_exporters_write_data() {
        QTest::addColumn<QString>("text");
        const QString text = small_file;
        QTest::newRow("carriage returns") << QString(text).replace("\n", "\r\n");
        QTest::newRow("old line ends") << QString(text).replace("\n", "\r");
        QTest::newRow("tabs") << QString(text).replace("  ", "\t").replace(" 0", "\t0");
        QTest::newRow("no last newline") << text.chopped(1);
        QTest::newRow("blank lines at the end") << text + "\n\n  \n";
        QTest::newRow("exponents") << QString(text).replace("1 2 3", "1e0 2.0E+00 30e-1");
        QTest::newRow("plus signs") << QString(text).replace("1 2 3", "+1 +2 +3");
        QTest::newRow("byte order mark") << "\xEF\xBB\xBF" + text;
        QTest::newRow("braces on the line") << QString(text)
                                                   .replace("ROOT Hips\n{", "ROOT Hips {")
                                                   .replace("JOINT Chest\n  {", "JOINT Chest {");
        QTest::newRow("lower case")
            << QString(text).replace("HIERARCHY", "hierarchy").replace("ROOT", "root");
        QTest::newRow("frames without space") << QString(text).replace("Frames: 2", "Frames:2");
        QTest::newRow("frame on several lines") << QString(text).replace("1 2 3 0", "1 2 3\n0");
    }
    void accepts_what_exporters_write() {
        QFETCH(QString, text);
        const bool is_marked = QString(QTest::currentDataTag()) == "byte order mark";
        const std::string bytes = is_marked ? "\xEF\xBB\xBF" + std::string(small_file) : text.toStdString();
        const SkeletonFile plain = parse_bvh(small_file, "f.bvh");
        const SkeletonFile file = parse_bvh(bytes, "f.bvh");
        QCOMPARE(file.skeleton.names, plain.skeleton.names);
        QCOMPARE(file.take.frames, plain.take.frames);
        QVERIFY(largest_turn_rad(file, plain) < 1e-12);
        QVERIFY((file.take.p[0] - plain.take.p[0]).norm() < 1e-12);
    }

    void any_locale() {
        // Decimal commas of the surroundings must not reach the file.
        for (const auto* name : {"de_DE.UTF-8", "fr_FR.UTF-8", "C.UTF-8"}) std::setlocale(LC_ALL, name);
        const SkeletonFile file = parse_bvh(with(small_file, "1 2 3", "1.5 2.25 3.125"), "f.bvh");
        QCOMPARE(file.take.p[0].z(), 3.125);
        QVERIFY(format_bvh(file).find("3.125") != std::string::npos);
        QVERIFY(format_bvh(file).find(',') == std::string::npos);
        std::setlocale(LC_ALL, "C");
    }

    void any_order_and_subset_of_channels() {
        // R = R_first * R_second ...; a channel that is not listed is 0 (positions: the OFFSET).
        const std::string text =
            "HIERARCHY\nROOT A\n{\nOFFSET 1 2 3\nCHANNELS 2 Yrotation Zposition\nJOINT B\n{\nOFFSET 0 1 0\n"
            "CHANNELS 4 Xrotation Yposition Yrotation Zrotation\nEnd Site\n{\nOFFSET 0 0 0\n}\n}\n}\n"
            "MOTION\nFrames: 1\nFrame Time: 0.04\n30 9 10 5 20 30\n";
        const SkeletonFile file = parse_bvh(text, "f.bvh");
        QCOMPARE(file.take.translated, (std::vector<int>{0, 1}));
        QVERIFY((file.take.p[0] - Vec3(1, 2, 9)).norm() < 1e-12);
        QVERIFY((file.take.p[1] - Vec3(0, 5, 0)).norm() < 1e-12);
        const Quat expected = axis_rotation(0, deg_to_rad(10)) * axis_rotation(1, deg_to_rad(20)) *
                              axis_rotation(2, deg_to_rad(30));
        QVERIFY(angle_between(file.take.R[1], expected) < 1e-12);
    }

    void several_roots_are_all_read() {
        std::string text = small_file;
        text = with(text, "MOTION",
                    "ROOT Crate\n{\nOFFSET 1 0 0\nCHANNELS 3 Xposition Yposition Zposition\n}\nMOTION");
        text = with(text, "90 0 0\n", "90 0 0 7 8 9\n");
        text.insert(text.size() - 1, " 7 8 10");
        const SkeletonFile file = parse_bvh(text, "f.bvh");
        QCOMPARE(file.skeleton.size(), 3);
        QCOMPARE(file.skeleton.parents[2], -1);
        QCOMPARE(file.take.p->back().z(), 10.0);
    }

    void the_likeliest_body_of_several_is_proposed() {
        const std::string body = format_bvh(test::random_body(3));
        const size_t motion = body.find("MOTION");
        const std::string crate =
            "ROOT Crate\n{\nOFFSET 1 0 0\nCHANNELS 3 Xposition Yposition Zposition\n}\n";
        const std::string text = "HIERARCHY\n" + crate + body.substr(10, motion - 10);
        const LoadedFile loaded = load_bvh(text, "two.bvh");
        QCOMPARE(loaded.character.roles.joint("hips"), 1);
        QVERIFY(!loaded.character.rig.notes.empty());
        QVERIFY(loaded.character.rig.notes.back().find("Crate") != std::string::npos);
    }

    void header_and_data_disagree() {
        const SkeletonFile more = parse_bvh(with(small_file, "Frames: 2", "Frames: 5"), "f.bvh");
        QCOMPARE(more.take.frames, 2);
        QCOMPARE(more.notes.size(), size_t(1));
        QVERIFY(more.notes[0].find("announces 5 frames, the data hold 2") != std::string::npos);
        const SkeletonFile fewer = parse_bvh(with(small_file, "Frames: 2", "Frames: 1"), "f.bvh");
        QCOMPARE(fewer.take.frames, 2);
        // Debian's copy of BVH/01_01.bvh itself: the header is right or the data win.
        QCOMPARE(read_bvh(test::capture("01_01.bvh")).take.frames, 2752);
    }

    void a_cut_off_frame_is_left_out_and_told() {
        const SkeletonFile file = parse_bvh(with(small_file, "4 5 6 0 0 0 0 0 0\n", "4 5 6 0"), "f.bvh");
        QCOMPARE(file.take.frames, 1);
        QVERIFY(file.notes[0].find("frame 1 is cut off") != std::string::npos);
    }

    void errors_say_where_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("place");
        QTest::addColumn<QString>("what");
        const auto row = [](const char* name, const std::string& text, const char* place, const char* what) {
            QTest::newRow(name) << QString::fromStdString(text) << QString(place) << QString(what);
        };
        row("not a number", with(small_file, "10 0", "ten 0"), "f.bvh:8:14:", "'ten'");
        row("nan in the motion", with(small_file, "4 5 6", "4 nan 6"), "f.bvh:20:3:", "frame 1, bone 'Hips'");
        row("infinity", with(small_file, "4 5 6", "4 inf 6"), "f.bvh:20:3:", "not a finite number");
        row("overflow", with(small_file, "4 5 6", "4 1e999 6"), "f.bvh:20:3:", "not a finite number");
        row("nan in an offset", with(small_file, "0 5 0", "0 nan 0"), "f.bvh:12:16:", "not a finite number");
        row("decimal comma", with(small_file, "1 2 3", "1,5 2 3"), "f.bvh:19:1:", "'1,5'");
        row("unknown channel", with(small_file, "Zposition", "Wposition"), "f.bvh:5:34:", "'Wposition'");
        row("missing brace", with(small_file, "  }\n}\n", "  }\n"), "f.bvh:15:1:", "MOTION starts");
        row("brace too many", with(small_file, "  }\n}\n", "  }\n}\n}\n"), "f.bvh:16:1:", "too many");
        row("cut off", std::string(small_file).substr(0, 150), "f.bvh:", "");
        row("not bvh", "hello", "f.bvh:1:1:", "HIERARCHY");
        row("empty", "", "f.bvh:1:1:", "HIERARCHY");
        row("no frame time", with(small_file, "Frame Time", "Fume"), "f.bvh:18:1:", "Frame Time");
        row("frame time zero", with(small_file, ".0083333", "0"), "f.bvh:18:13:", "frame time");
        row("joint in an end site", with(small_file, "OFFSET 0 5 0", "JOINT X {}"),
            "f.bvh:12:7:", "End Site");
        row("joint without root", "HIERARCHY\nJOINT A\n{\n}\n", "f.bvh:2:1:", "outside any ROOT");
        row("joint outside", "HIERARCHY\n}\n", "f.bvh:2:1:", "too many");
    }
    void errors_say_where() {
        QFETCH(QString, text);
        QFETCH(QString, place);
        QFETCH(QString, what);
        const QString message = QString::fromStdString(error_of(text.toStdString()));
        QVERIFY2(message.startsWith(place), qPrintable(message));
        QVERIFY2(message.contains(what), qPrintable(message));
        QVERIFY2(!message.contains('\n'), qPrintable(message));
        QVERIFY2(message.contains("; "), qPrintable("no remedy: " + message));
    }

    void depth_is_bounded() {
        const auto chain = [](int depth) {
            std::string text = "HIERARCHY\n";
            for (int i = 0; i < depth; ++i)
                text += QString("%1 j%2\n{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n")
                            .arg(i ? "JOINT" : "ROOT")
                            .arg(i)
                            .toStdString();
            text += "End Site\n{\nOFFSET 0 1 0\n}\n";
            for (int i = 0; i < depth; ++i) text += "}\n";
            return text;
        };
        QCOMPARE(parse_bvh(chain(512), "f.bvh").skeleton.size(), 512);
        QVERIFY(error_of(chain(513)).find("more than 512") != std::string::npos);
    }

    void written_and_read_again_data() {
        QTest::addColumn<QString>("name");
        QTest::newRow("01_01") << "01_01.bvh";
        QTest::newRow("01_03") << "01_03.bvh";
    }
    void written_and_read_again() {
        QFETCH(QString, name);
        const SkeletonFile file = read_bvh(test::capture(name.toStdString()));
        const SkeletonFile again = parse_bvh(format_bvh(file), "again.bvh");
        QCOMPARE(again.skeleton.names, file.skeleton.names);
        QCOMPARE(again.skeleton.parents, file.skeleton.parents);
        QCOMPARE(again.take.frame_time_text, file.take.frame_time_text);
        QVERIFY(largest_turn_rad(file, again) < 1e-6);
        for (size_t j = 0; j < file.skeleton.rest_p.size(); ++j)
            QVERIFY((file.skeleton.rest_p[j] - again.skeleton.rest_p[j]).norm() < 1e-7);
        // The second writing is the same to the last digit.
        QCOMPARE(format_bvh(again), format_bvh(parse_bvh(format_bvh(again), "x")));
    }

    void written_angles_do_not_jump() {
        // Steps of written angles are never larger than the turn needs: no wraps of 360 degrees.
        const SkeletonFile file = read_bvh(test::capture("01_03.bvh"));
        const std::string text = format_bvh(file);
        const size_t motion = text.find("Frame Time:");
        QStringList rows = QString::fromStdString(text.substr(motion)).split('\n', Qt::SkipEmptyParts).mid(1);
        QCOMPARE(rows.size(), file.take.frames);
        int wraps = 0;
        QStringList before = rows[1].split(' ');
        for (int f = 2; f < rows.size(); ++f) {
            const QStringList now = rows[f].split(' ');
            for (int c = 3; c < now.size(); ++c)
                if (std::abs(now[c].toDouble() - before[c].toDouble()) > 300.0) ++wraps;
            before = now;
        }
        QCOMPARE(wraps, 0);
    }

    void export_keeps_unit_axes_names_and_places() {
        const LoadedFile source = load_file(test::capture("01_01.bvh"));
        for (const auto* name : {"dockhand/rig.bvh", "lamp-child/rig.bvh", "ferrier/rig.glb"}) {
            const LoadedFile target = load_file(test::rig(std::string() + name));
            const TransferResult result = test::carry(source, target);
            const std::string text = format_bvh(reframe_for_bvh(target.character, result.take));
            LoadOptions options;
            options.unit_m = target.character.rig.conventions.unit_m;
            options.up = target.character.rig.conventions.up;
            options.facing = target.character.rig.conventions.facing;
            const LoadedFile again = load_bvh(text, "again.bvh", options);
            QCOMPARE(again.take->frames, source.take->frames);
            QCOMPARE(again.take->frame_time_text, source.take->frame_time_text);
            const WorldMotion world = forward_kinematics(again.character.rig.skeleton, *again.take);
            double largest = 0.0;
            for (int j = 0; j < target.character.rig.skeleton.size(); ++j) {
                const int k =
                    again.character.rig.skeleton.find(target.character.rig.skeleton.names[size_t(j)]);
                QVERIFY(k >= 0);
                for (int f = 0; f < world.frames; f += 7)
                    largest = std::max(
                        largest, (world.p[world.at(f, k)] - result.target.p[result.target.at(f, j)]).norm());
            }
            QVERIFY2(largest < 1e-5 * 1.75, qPrintable(QString("%1 m").arg(largest)));
        }
    }
};

NB_TEST(BvhTest)
}  // namespace test_bvh
#include "test_bvh.moc"
