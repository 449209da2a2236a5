// glTF 2.0 (ISO/IEC 12113): skeletons and animations as its specification defines them.
#include <QTemporaryDir>
#include <QtTest>
#include <nlohmann/json.hpp>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/files/gltf/glb_parts.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/export.hpp"
#include "core/handover/glb_animation.hpp"
#include "core/library/library.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/engine.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_gltf {

using namespace nb;

namespace {

/// A .gltf with its numbers in the file: two nodes, one rotation channel of two keys (0 and 90 degrees about
/// Z).
QString two_nodes(const QString& interpolation, const QString& outputs_base64, int rows,
                  const QString& extra = {}) {
    return QString(R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
 "nodes":[{"name":"a","children":[1],"translation":[0,1,0]%4},{"name":"b","translation":[1,0,0]}],
 "animations":[{"channels":[{"sampler":0,"target":{"node":0,"path":"rotation"}}],
   "samplers":[{"input":0,"output":1,"interpolation":"%1"}]}],
 "accessors":[{"bufferView":0,"componentType":5126,"count":2,"type":"SCALAR","min":[0],"max":[1]},
   {"bufferView":1,"componentType":5126,"count":%3,"type":"VEC4"}],
 "bufferViews":[{"buffer":0,"byteOffset":0,"byteLength":8},{"buffer":1,"byteOffset":0,"byteLength":%5}],
 "buffers":[{"byteLength":8,"uri":"data:application/octet-stream;base64,AAAAAAAAgD8="},
   {"byteLength":%5,"uri":"data:application/octet-stream;base64,%2"}]})")
        .arg(interpolation, outputs_base64)
        .arg(rows)
        .arg(extra)
        .arg(rows * 16);
}
QString base64(const std::vector<float>& values) {
    return QByteArray(reinterpret_cast<const char*>(values.data()), qsizetype(values.size() * 4)).toBase64();
}
const float s45 = 0.70710678f;

}  // namespace

class GltfTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    std::string write(const QString& name, const QString& text) {
        const std::string path = folder_.filePath(name).toStdString();
        write_file(path, text.toStdString());
        return path;
    }
    QString error_of(const QString& text) {
        const std::string path = write("wrong.gltf", text);
        try {
            read_gltf(path);
        } catch (const FileError& error) {
            return error.what();
        }
        return "no error";
    }

  private slots:
    // B5
    void what_is_written_stands_as_shown_after_repairs_data() {
        QTest::addColumn<QString>("body");
        QTest::addColumn<QString>("repair");
        for (const char* body : {"ferrier", "dockhand", "lamp-child"})
            for (const char* repair : {"none", "floor", "origin", "lengths", "all"})
                QTest::addRow("%s, %s", body, repair) << body << repair;
    }
    void what_is_written_stands_as_shown_after_repairs() {
        QFETCH(QString, body);
        QFETCH(QString, repair);
        const std::string rig = test::demo(("characters/" + body + "/rig.glb").toStdString());
        // A body that hangs in the air, aside of the origin, below a bone of its own.
        const std::string hung = folder_.filePath("hung.glb").toStdString();
        {
            const LoadedFile file = load_file(rig);
            const auto& nodes = file.character.rig.nodes;
            GlbParts parts(file.character.rig);
            Json& json = parts.json;
            const int top = nodes[0].node;
            json["nodes"].push_back(
                {{"name", "ground"}, {"translation", {0.4, 0.31, 0.2}}, {"children", {top}}});
            const int ground = int(json["nodes"].size()) - 1;
            for (Json& scene : json["scenes"])
                for (Json& node : scene["nodes"])
                    if (node == top) node = ground;
            for (Json& skin : json["skins"]) skin["skeleton"] = ground;
            parts.write(hung);
        }
        LoadOptions options;
        options.on_floor = repair == "floor" || repair == "all";
        options.over_origin = repair == "origin" || repair == "all";
        if (repair == "lengths" || repair == "all")
            options.lengths = {{"legs", 0.8}, {"arms", 1.2}, {"neck", 1.3}};
        const LoadedFile target = load_file(hung, options);
        std::vector<std::string> notes;
        const LoadedFile source = load_take(test::demo("takes/quay-walk.take.json"), "", notes);
        const TransferResult result = transfer(source.character, *source.take, target.character, {});
        const std::string out = folder_.filePath("hung_out.glb").toStdString();
        export_take(out, target.character, result.take);
        LoadOptions plain;
        plain.unit_m = target.character.rig.conventions.unit_m;
        const LoadedFile again = load_file(out, plain);
        const Skeleton& skeleton = target.character.rig.skeleton;
        const WorldMotion world = forward_kinematics(again.character.rig.skeleton, *again.take);
        double largest = 0.0;
        for (int j = 0; j < skeleton.size(); ++j) {
            const int k = again.character.rig.skeleton.find(skeleton.names[size_t(j)]);
            QVERIFY(k >= 0);
            for (int f = 0; f < world.frames; f += 37)
                largest = std::max(
                    largest, (world.p[world.at(f, k)] - result.target.p[result.target.at(f, j)]).norm());
        }
        QVERIFY2(largest < 2e-5, qPrintable(QString::number(largest)));
        // The rig itself is as it was: what was moved is in the motion.
        const LoadedFile rest = load_file(hung);
        for (int j = 0; j < skeleton.size(); ++j)
            QVERIFY((rest.character.rig.skeleton.rest_p[size_t(j)] -
                     again.character.rig.skeleton
                         .rest_p[size_t(again.character.rig.skeleton.find(skeleton.names[size_t(j)]))])
                        .norm() < 1e-6);
    }
    void linear_rotation_is_spherical() {
        const auto file =
            read_gltf(write("l.gltf", two_nodes("LINEAR", base64({0, 0, 0, 1, 0, 0, s45, s45}), 2)));
        QCOMPARE(file.take.frames, 2);  // one key distance
        QCOMPARE(file.take.joints, 2);
        const double turned = rad_to_deg(angle_between(file.take.R[0], file.take.R[2]));
        QVERIFY2(std::abs(turned - 90.0) < 1e-4, qPrintable(QString::number(turned)));
        const Pose end = pose_at(file.skeleton, file.take, 1);
        QVERIFY((end.p[1] - Vec3(0, 2, 0)).norm() < 1e-6);  // b swings from +X to +Y of a
    }
    // B17
    void of_two_tracks_for_one_joint_the_first_counts() {
        QString text = two_nodes("LINEAR", base64({0, 0, 0, 1, 0, 0, s45, s45}), 2);
        text.replace(R"({"sampler":0,"target":{"node":0,"path":"rotation"}})",
                     R"({"sampler":0,"target":{"node":0,"path":"rotation"}},
                        {"sampler":0,"target":{"node":0,"path":"rotation"}})");
        const auto file = read_gltf(write("two.gltf", text));
        QCOMPARE(file.take.R.size(), size_t(4));
        QVERIFY(std::abs(rad_to_deg(angle_between(file.take.R[0], file.take.R[2])) - 90.0) < 1e-4);
        QVERIFY(std::any_of(file.notes.begin(), file.notes.end(), [](const std::string& note) {
            return note.find("'a' has two tracks of rotation") != std::string::npos;
        }));
    }
    void what_lies_beside_is_packed_by_its_escaped_name() {
        // RFC 3986 2.1: %20 is a space.
        QString text = two_nodes("LINEAR", base64({0, 0, 0, 1, 0, 0, s45, s45}), 2);
        text.replace("data:application/octet-stream;base64,AAAAAAAAgD8=", "the%20times.bin");
        const std::string path = write("beside.gltf", text);
        write_file(folder_.filePath("the times.bin").toStdString(), std::string("\0\0\0\0\0\0\x80\x3f", 8));
        const auto file = read_gltf(path);
        QCOMPARE(file.take.frames, 2);
        Rig rig;
        rig.path = path;
        QVERIFY(GlbParts(rig).json["buffers"].size() == 1);  // packed for a patched copy
    }
    void keys_of_opposite_sign_take_the_short_way() {
        const auto file =
            read_gltf(write("s.gltf", two_nodes("LINEAR", base64({0, 0, 0, -1, 0, 0, s45, s45}), 2)));
        QVERIFY(angle_between(file.take.R[0], Quat::Identity()) < 1e-6);
    }
    void cubic_spline_starts_and_ends_on_its_values() {
        // In-tangent, value, out-tangent a key.
        const auto file = read_gltf(
            write("c.gltf", two_nodes("CUBICSPLINE", base64({0, 0, 0, 0, 0, 0, 0,   1,   0, 0, 0, 0,
                                                             0, 0, 0, 0, 0, 0, s45, s45, 0, 0, 0, 0}),
                                      6)));
        QVERIFY(angle_between(file.take.R[0], Quat::Identity()) < 1e-6);
        QVERIFY(angle_between(file.take.R[2], axis_rotation(2, pi / 2)) < 1e-4);
    }
    /// Between keys, worked by hand from glTF 2.0, appendix C:
    /// v = (2s^3-3s^2+1) v0 + td (s^3-2s^2+s) b0 + (-2s^3+3s^2) v1 + td (s^3-s^2) a1; here td = 1, s = 0.25:
    /// 0.84375 v0 + 0.140625 b0 + 0.15625 v1 - 0.046875 a1.
    void cubic_spline_between_keys_as_the_specification_writes_it() {
        std::vector<float> times{0, 0.25f, 0.5f, 0.75f, 1};
        std::vector<float> still;
        for (int k = 0; k < 5; ++k) still.insert(still.end(), {0, 0, 0, 1});
        const std::vector<float> ends{0, 1};
        // a0, v0 = (0 1 0), b0 = (4 0 0); a1 = (0 -8 0), v1 = (2 1 0), b1.
        const std::vector<float> spline{0, 0, 0, 0, 1, 0, 4, 0, 0, 0, -8, 0, 2, 1, 0, 0, 0, 0};
        std::vector<float> all = times;
        for (const auto& part : {still, ends, spline}) all.insert(all.end(), part.begin(), part.end());
        const auto view = [](int from, int count) {
            return QString(R"({"buffer":0,"byteOffset":%1,"byteLength":%2})").arg(4 * from).arg(4 * count);
        };
        const QString text =
            QString(
                R"({"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[{"name":"a","children":[1]},{"name":"b"}],
"buffers":[{"byteLength":%1,"uri":"data:application/octet-stream;base64,%2"}],"bufferViews":[%3,%4,%5,%6],
"accessors":[{"bufferView":0,"componentType":5126,"count":5,"type":"SCALAR","min":[0],"max":[1]},
{"bufferView":1,"componentType":5126,"count":5,"type":"VEC4"},
{"bufferView":2,"componentType":5126,"count":2,"type":"SCALAR","min":[0],"max":[1]},
{"bufferView":3,"componentType":5126,"count":6,"type":"VEC3"}],
"animations":[{"samplers":[{"input":0,"output":1},{"input":2,"output":3,"interpolation":"CUBICSPLINE"}],
"channels":[{"sampler":0,"target":{"node":1,"path":"rotation"}},{"sampler":1,"target":{"node":0,"path":"translation"}}]}]})")
                .arg(all.size() * 4)
                .arg(base64(all), view(0, 5), view(5, 20), view(25, 2), view(27, 18));
        const auto file = read_gltf(write("between.gltf", text));
        QCOMPARE(file.take.frames, 5);
        const Pose quarter = pose_at(file.skeleton, file.take, 1);
        QVERIFY2((quarter.p[0] - Vec3(0.875, 1.375, 0)).norm() < 1e-6,
                 qPrintable(QString("%1 %2").arg(quarter.p[0].x()).arg(quarter.p[0].y())));
    }
    void scale_of_nodes_is_in_the_offsets() {
        const auto file = read_gltf(
            write("k.gltf", two_nodes("STEP", base64({0, 0, 0, 1, 0, 0, 0, 1}), 2, ",\"scale\":[3,3,3]")));
        const Pose pose = pose_at(file.skeleton, file.take, 0);
        QVERIFY((pose.p[1] - Vec3(3, 1, 0)).norm() < 1e-9);
    }
    void joints_in_any_order_come_parents_first() {
        const auto file = read_gltf(write("o.gltf", R"({"asset":{"version":"2.0"},"scenes":[{"nodes":[2]}],
            "nodes":[{"name":"tip"},{"name":"mid","children":[0]},{"name":"top","children":[1]}],
            "skins":[{"joints":[0,1,2]}]})"));
        QCOMPARE(file.skeleton.names, (std::vector<std::string>{"top", "mid", "tip"}));
        QCOMPARE(file.skeleton.parents, (std::vector<int>{-1, 0, 1}));
    }

    void a_bind_pose_unlike_the_rest_is_found_and_judged() {
        // A body bound in the T-pose whose nodes then hang the arms by 70 degrees: the bind pose is nearer.
        const SkeletonFile body = test::random_body(6);
        const std::string path = folder_.filePath("bound.glb").toStdString();
        write_glb(path, body.skeleton, Take{});
        std::string bytes = read_file(path);
        std::uint32_t length = 0;
        std::memcpy(&length, bytes.data() + 12, 4);
        auto json = nlohmann::json::parse(bytes.substr(20, length));
        for (auto& node : json["nodes"]) {
            const std::string name = node["name"];
            if (!name.starts_with("upperarm")) continue;
            const double half = deg_to_rad(name.ends_with("left") ? -35.0 : 35.0);
            node["rotation"] = {0.0, 0.0, std::sin(half), std::cos(half)};
        }
        std::string text = json.dump();
        text.resize((text.size() + 3) / 4 * 4, ' ');
        std::string changed = bytes.substr(0, 12);
        const auto append = [&changed](std::uint32_t v) {
            changed.append(reinterpret_cast<const char*>(&v), 4);
        };
        append(std::uint32_t(text.size()));
        changed += bytes.substr(16, 4) + text + bytes.substr(20 + length);
        const auto total = std::uint32_t(changed.size());
        std::memcpy(changed.data() + 8, &total, 4);
        write_file(path, changed);
        const LoadedFile file = load_file(path);
        QCOMPARE(file.character.rest.reference, std::string("bind pose"));
        QVERIFY(rad_to_deg(file.character.rest.mean_deviation_rad) < 1.0);
        // The stored rest still is the nodes' own: 70 degrees down.
        const int arm = file.character.roles.joint("upperarm.left");
        QVERIFY(std::abs(rad_to_deg(log_rotation(file.character.rest.D_W[size_t(arm)]).norm()) - 70.0) < 0.5);
    }

    void wrong_files_are_refused_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("what");
        const QString good = two_nodes("LINEAR", base64({0, 0, 0, 1, 0, 0, s45, s45}), 2);
        QTest::newRow("not json") << "{"
                                  << "no valid glTF";
        QTest::newRow("cut off") << good.left(400) << "no valid glTF";
        QTest::newRow("cyclic") << QString(good).replace("\"translation\":[1,0,0]", "\"children\":[0]")
                                << "its own ancestor";
        QTest::newRow("two parents") << QString(good)
                                            .replace("\"nodes\":[0]}],\n \"nodes\":[",
                                                     "\"nodes\":[0]}],\"nodes\":[{\"children\":[2]},")
                                            .replace("\"children\":[1]", "\"children\":[2]")
                                     << "two parents";
        QTest::newRow("child that is not there")
            << QString(good).replace("\"children\":[1]", "\"children\":[9]") << "does not exist";
        QTest::newRow("not a number")
            << two_nodes("LINEAR", base64({0, 0, 0, 1, 0, std::numeric_limits<float>::quiet_NaN(), s45, s45}),
                         2)
            << "not finite";
        QTest::newRow("beyond its buffer")
            << QString(good).replace("\"count\":2,\"type\":\"VEC4\"", "\"count\":900,\"type\":\"VEC4\"")
            << "beyond its buffer";
        QTest::newRow("count beyond memory")
            << QString(good).replace("\"count\":2,\"type\":\"VEC4\"",
                                     "\"count\":4611686018427387904,\"type\":\"VEC4\"")
            << "beyond its buffer";
    }
    void wrong_files_are_refused() {
        QFETCH(QString, text);
        QFETCH(QString, what);
        const QString error = error_of(text);
        QVERIFY2(error.contains(what), qPrintable(error));
        QVERIFY2(!error.contains('\n') && error.contains("wrong.gltf"), qPrintable(error));
    }

    void a_transfer_written_as_glb_reads_back_the_same() {
        const LoadedFile source = load_file(test::capture("01_01.bvh"));
        const LoadedFile target = load_file(test::rig("ferrier/rig.glb"));
        const TransferResult result = test::carry(source, target);
        const std::string path = folder_.filePath("out.glb").toStdString();
        export_take(path, target.character, result.take);
        const SkeletonFile again = read_gltf(path);
        QCOMPARE(again.skeleton.names, target.character.rig.skeleton.names);
        QCOMPARE(again.take.frames, result.take.frames);
        const WorldMotion world = forward_kinematics(again.skeleton, again.take);
        const test::Difference d = test::difference(result.target, world);
        // Single precision of the format, 12 m from the origin.
        QVERIFY2(d.place_m < 2e-5 && d.turn_deg < 1e-3,
                 qPrintable(QString("%1 %2").arg(d.place_m).arg(d.turn_deg)));
    }
};

NB_TEST(GltfTest)
}  // namespace test_gltf
#include "test_gltf.moc"
