// Skinned rigs in and out: linear blend as the specification writes it, patched files by the Khronos
// validator and by three's own loader (tests/node, pinned versions from the npm registry).
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QTemporaryDir>
#include <QtTest>
#include <cstring>
#include <nlohmann/json.hpp>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/export.hpp"
#include "core/library/library.hpp"
#include "core/motion/edit.hpp"
#include "core/motion/kinematics.hpp"
#include "tests/support/other_programs.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_skins {

using namespace nb;

namespace {

const std::array<const char*, 4> crew{"performer", "dockhand", "ferrier", "lamp-child"};

LoadedFile crew_member(const std::string& name) {
    std::vector<std::string> notes;
    const std::string folder = test::demo("characters/" + name);
    return load_character(folder + "/rig.glb", folder + "/character.json", notes);
}

nlohmann::json json_of_glb(const std::string& path) {
    const std::string bytes = read_file(path);
    std::uint32_t length = 0;
    std::memcpy(&length, bytes.data() + 12, 4);
    return nlohmann::json::parse(bytes.substr(20, length));
}

void write_glb_with(const std::string& path, const std::string& from,
                    const std::function<void(nlohmann::json&)>& edit) {
    const std::string bytes = read_file(from);
    std::uint32_t length = 0;
    std::memcpy(&length, bytes.data() + 12, 4);
    auto json = nlohmann::json::parse(bytes.substr(20, length));
    edit(json);
    std::string text = json.dump();
    text.resize((text.size() + 3) / 4 * 4, ' ');
    std::string out = bytes.substr(0, 8);
    const auto word = [&out](size_t v) {
        const auto w = std::uint32_t(v);
        out.append(reinterpret_cast<const char*>(&w), 4);
    };
    word(12 + 8 + text.size() + bytes.size() - 20 - length);
    word(text.size());
    out += bytes.substr(16, 4) + text + bytes.substr(20 + length);
    write_file(path, out);
}

}  // namespace

class SkinsTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    std::string in(const QString& name) const { return folder_.filePath(name).toStdString(); }

  private slots:
    void linear_blend_as_the_specification_writes_it() {
        // assimp-testmodels glTF2/simple_skin: two joints, the second one unit above the first.
        // glTF 2.0, 3.7.3.3: p = sum w_i G_i B_i v. Vertex (0.5, 1, 0) hangs half on each; the second joint
        // turned by 90 degrees about Z brings it, seen from that joint, from (0.5, 0) to (0, 0.5): p = 0.5
        // (0.5, 1) + 0.5 (0, 1.5) = (0.25, 1.25).
        Mesh mesh;
        mesh.positions = {{0.5f, 1.0f, 0.0f}};
        mesh.skin.resize(1);
        mesh.skin[0].palette = {0, 1};
        mesh.skin[0].weight = {0.5f, 0.5f};
        MeshJoint low{0, Eigen::Matrix4d::Identity()};
        MeshJoint high{1, Eigen::Matrix4d::Identity()};
        high.attach(1, 3) = -1.0;
        mesh.palette = {low, high};
        const Pose pose{{Quat::Identity(), axis_rotation(2, pi / 2)}, {Vec3::Zero(), Vec3(0, 1, 0)}};
        QVERIFY((skin_vertices(mesh, pose)[0] - Vec3(0.25, 1.25, 0)).norm() < 1e-12);

        const LoadedFile file = load_file("/usr/share/assimp/models/glTF2/simple_skin/simple_skin.gltf");
        QCOMPARE(file.character.rig.meshes.size(), size_t(1));
        QCOMPARE(file.character.rig.meshes[0].positions.size(), size_t(10));
    }
    void at_rest_the_skin_stands_as_it_was_attached() {
        // The crew is bound in its rest: posed there, no vertex moves from where the file has it.
        for (const auto* name : crew) {
            const LoadedFile file = crew_member(name);
            const Rig& rig = file.character.rig;
            QCOMPARE(rig.meshes.size(), size_t(1));
            const auto vertices = skin_vertices(rig.meshes[0], rest_pose(rig.skeleton));
            double lowest = 1e9, highest = -1e9, largest = 0.0;
            for (size_t v = 0; v < vertices.size(); ++v) {
                lowest = std::min(lowest, vertices[v].y());
                highest = std::max(highest, vertices[v].y());
                for (const float w : rig.meshes[0].skin[v].weight) largest = std::max(largest, double(w));
            }
            QVERIFY2(lowest > -0.01 && lowest < 0.02, name);  // soles on the floor
            QVERIFY2(highest > 1.0 && highest < 2.3, name);
            QVERIFY(largest <= 1.0 + 1e-6);
        }
    }
    void mirrored_and_scaled_nodes_stand_where_three_puts_them() {
        // The dockhand under a node that is mirrored and 1.7 times as large, moved by its own keys.
        const LoadedFile source = load_file(test::demo("takes/quay-walk.bvh"));
        const LoadedFile plain = crew_member("dockhand");
        LoadedFile cut = source;
        cut.take = trim(*source.take, 0, 60);
        export_take(in("plain.glb"), plain.character, test::carry(cut, plain).take);
        write_glb_with(in("mirrored.glb"), in("plain.glb"), [](nlohmann::json& json) {
            for (auto& n : json["nodes"])
                if (n["name"] == "Dockhand_grp") n["scale"] = {-0.017, 0.017, 0.017};
        });
        const SkeletonFile file = read_gltf(in("mirrored.glb"));
        const WorldMotion world = forward_kinematics(file.skeleton, file.take);
        const auto three =
            QJsonDocument::fromJson(
                test::run_node({"positions.mjs", QString::fromStdString(in("mirrored.glb")), "0", "0.5"}))
                .array()[0]
                .toObject();
        double largest = 0.0;
        for (int j = 0; j < file.skeleton.size(); ++j) {
            const auto p =
                three["joints"].toObject()[QString::fromStdString(file.skeleton.names[size_t(j)])].toArray();
            QCOMPARE(p.size(), 3);
            largest = std::max(
                largest,
                (world.p[world.at(30, j)] - Vec3(p[0].toDouble(), p[1].toDouble(), p[2].toDouble())).norm());
        }
        QVERIFY2(largest < 1e-4, qPrintable(QString::number(largest)));
        const auto vertices = skin_vertices(
            file.meshes[0], {{world.R.begin() + world.at(30, 0), world.R.begin() + world.at(31, 0)},
                             {world.p.begin() + world.at(30, 0), world.p.begin() + world.at(31, 0)}});
        const auto theirs = three["vertices"].toArray();
        double off = 0.0;
        for (int k = 0; k < theirs.size(); ++k) {
            const auto p = theirs[k].toArray();
            off = std::max(
                off,
                (vertices[size_t(k) * 50] - Vec3(p[0].toDouble(), p[1].toDouble(), p[2].toDouble())).norm());
        }
        QVERIFY2(theirs.size() > 50 && off < 1e-4,
                 qPrintable(QString("%1 of %2").arg(off).arg(theirs.size())));
    }

    void patched_files_are_valid_and_read_the_same_elsewhere_data() {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QString>("take");
        for (const auto* name : crew)
            for (const auto& take : {test::demo("takes/quay-walk.bvh"), test::capture("01_01.bvh")})
                QTest::newRow(qPrintable(
                    QString("%1, %2").arg(name, QFileInfo(QString::fromStdString(take)).baseName())))
                    << QString(name) << QString::fromStdString(take);
    }
    void patched_files_are_valid_and_read_the_same_elsewhere() {
        QFETCH(QString, name);
        QFETCH(QString, take);
        const LoadedFile source = load_file(take.toStdString());
        const LoadedFile target = crew_member(name.toStdString());
        const TransferResult result = test::carry(source, target);
        const std::string path = in("out.glb");
        export_take(path, target.character, result.take);
        const QByteArray said = test::found_by_validator(path);
        QVERIFY2(said.isEmpty(), said.constData());

        // Our own reading.
        const SkeletonFile again = read_gltf(path);
        QCOMPARE(again.take.frames, result.take.frames);
        const WorldMotion world = forward_kinematics(again.skeleton, again.take);
        // Glb of the crew faces +Z and stands +Y up: file axes are the world's.
        const test::Difference own = test::difference(result.target, world);
        QVERIFY2(own.place_m < 3e-5, qPrintable(QString("%1 m").arg(own.place_m)));

        // Another program's: joints and skinned vertices at twelve frames.
        QStringList times;
        std::vector<int> frames;
        for (int i = 0; i < 12; ++i) {
            frames.push_back((result.take.frames - 1) * i / 11);
            times << QString::number(double(float(frames.back() * result.take.frame_time_s)), 'g', 17);
        }
        const auto entries =
            QJsonDocument::fromJson(
                test::run_node(QStringList{"positions.mjs", QString::fromStdString(path), "0"} + times))
                .array();
        QCOMPARE(entries.size(), 12);
        double joints = 0.0, skin = 0.0;
        for (int i = 0; i < 12; ++i) {
            const auto entry = entries[i].toObject();
            const Pose pose{{result.target.R.begin() + result.target.at(frames[size_t(i)], 0),
                             result.target.R.begin() + result.target.at(frames[size_t(i)] + 1, 0)},
                            {result.target.p.begin() + result.target.at(frames[size_t(i)], 0),
                             result.target.p.begin() + result.target.at(frames[size_t(i)] + 1, 0)}};
            const auto vec = [](const QJsonValue& v) {
                return Vec3(v[0].toDouble(), v[1].toDouble(), v[2].toDouble());
            };
            for (int j = 0; j < target.character.rig.skeleton.size(); ++j)
                joints = std::max(joints, (vec(entry["joints"].toObject()[QString::fromStdString(
                                               target.character.rig.skeleton.names[size_t(j)])]) -
                                           pose.p[size_t(j)])
                                              .norm());
            const auto vertices = skin_vertices(target.character.rig.meshes[0], pose);
            const auto theirs = entry["vertices"].toArray();
            for (int k = 0; k < theirs.size(); ++k)
                skin = std::max(skin, (vec(theirs[k]) - vertices[size_t(k) * 50]).norm());
        }
        qInfo("joints within %.1e m, skin within %.1e m of three's loader", joints, skin);
        QVERIFY2(joints < 1e-5 && skin < 1e-5,
                 qPrintable(QString("joints %1 m, skin %2 m").arg(joints).arg(skin)));
    }
    void nothing_else_in_a_patched_file_changes() {
        const std::string rich = in("rich.glb");
        write_glb_with(rich, test::demo("characters/dockhand/rig.glb"), [](nlohmann::json& json) {
            json["extensionsUsed"] = {"EXT_of_a_later_time"};
            json["extensions"]["EXT_of_a_later_time"] = {{"kept", {1, 2, 3}}};
            json["extras"] = {{"note", "kept"}};
            json["materials"][0]["extras"] = {{"paint", "kept"}};
            json["nodes"][2]["extras"] = {{"of", "a bone"}};
            auto& primitive = json["meshes"][0]["primitives"][0];
            primitive["targets"] = {{{"POSITION", primitive["attributes"]["NORMAL"]}}};
            json["animations"] = {
                {{"name", "older"},
                 {"channels", {{{"sampler", 0}, {"target", {{"node", 1}, {"path", "translation"}}}}}},
                 {"samplers",
                  {{{"input", primitive["attributes"]["WEIGHTS_0"]},
                    {"output", primitive["attributes"]["POSITION"]}}}}}};
        });
        auto before = json_of_glb(rich);
        before.erase("animations");
        write_glb_with(in("rich2.glb"), rich, [](nlohmann::json& json) { json.erase("animations"); });
        const LoadedFile target = load_file(in("rich2.glb"));
        LoadedFile source = load_file(test::demo("takes/quay-walk.bvh"));
        source.take = trim(*source.take, 0, 20);
        QVERIFY(std::any_of(
            target.character.rig.notes.begin(), target.character.rig.notes.end(),
            [](const std::string& n) { return n.find("morph targets are kept") != std::string::npos; }));
        export_take(in("patched.glb"), target.character, test::carry(source, target).take);
        auto after = json_of_glb(in("patched.glb"));
        QCOMPARE(after["animations"].size(), size_t(1));
        for (const auto* key :
             {"extensions", "extensionsUsed", "extras", "materials", "meshes", "nodes", "skins", "scenes"})
            QVERIFY2(after[key] == before[key], key);
        // What stood in the buffer still stands there, byte for byte.
        const std::string old_bytes = read_file(in("rich2.glb"));
        const std::string new_bytes = read_file(in("patched.glb"));
        const size_t size = before["buffers"][0]["byteLength"];
        std::uint32_t old_json = 0, new_json = 0;
        std::memcpy(&old_json, old_bytes.data() + 12, 4);
        std::memcpy(&new_json, new_bytes.data() + 12, 4);
        QCOMPARE(old_bytes.substr(28 + old_json, size), new_bytes.substr(28 + new_json, size));
        // A second patch keeps the first animation.
        LoadedFile once = load_file(in("patched.glb"));
        export_take(in("twice.glb"), once.character, test::carry(source, once).take);
        QCOMPARE(json_of_glb(in("twice.glb"))["animations"].size(), size_t(2));
        QVERIFY(json_of_glb(in("twice.glb"))["animations"][0] == after["animations"][0]);
    }
    void a_rig_that_changed_on_disk_is_not_patched() {
        const std::string path = in("moving.glb");
        write_file(path, read_file(test::demo("characters/ferrier/rig.glb")));
        const LoadedFile target = load_file(path);
        write_file(path, read_file(test::demo("characters/dockhand/rig.glb")));
        LoadedFile source = load_file(test::demo("takes/quay-walk.bvh"));
        try {
            export_take(in("x.glb"), target.character, test::carry(source, target).take);
            QFAIL("was patched");
        } catch (const FileError& error) {
            QVERIFY2(std::string(error.what()).find("no longer the file that was read") != std::string::npos,
                     error.what());
        }
    }
    void broken_files_of_the_test_models_give_one_line() {
        // assimp-testmodels glTF2: files made to be refused.
        int refused = 0;
        for (const auto* folder :
             {"IndexOutOfRange", "MissingBin", "RecursiveNodes", "SchemaFailures", "wrongTypes"})
            for (const QFileInfo& info :
                 QDir(QString("/usr/share/assimp/models/glTF2/") + folder).entryInfoList({"*.gltf", "*.glb"}))
                try {
                    load_file(info.filePath().toStdString());
                } catch (const FileError& error) {
                    ++refused;
                    QVERIFY2(!QString(error.what()).contains('\n'), error.what());
                    QVERIFY(QString(error.what()).contains(info.fileName()));
                }
        QVERIFY2(refused >= 4, qPrintable(QString::number(refused)));
    }
};

NB_TEST(SkinsTest)
}  // namespace test_skins
#include "test_skins.moc"
