// Other formats through Assimp: the crew written out by Assimp's own exporters and read back, and the
// skeletons of assimp-testmodels.
#include <assimp/scene.h>
#include <QTemporaryDir>
#include <QtTest>
#include <assimp/Exporter.hpp>
#include <assimp/Importer.hpp>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/measures.hpp"
#include "core/files/scene/scene.hpp"
#include "core/handover/export.hpp"
#include "core/library/library.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_scene_files {

using namespace nb;

class SceneFilesTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    std::string in(const QString& name) const { return folder_.filePath(name).toStdString(); }

  private slots:
    void a_rig_in_another_format_moves_the_same_data() {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QString>("format");
        QTest::addColumn<QString>("ending");
        // Assimp 5.2 cannot read back the .fbx that it writes: that format stands on the test models alone.
        for (const auto* name : {"ferrier", "lamp-child", "dockhand"})
            QTest::newRow(qPrintable(QString("%1 as dae").arg(name))) << name << "collada"
                                                                      << "dae";
    }
    void a_rig_in_another_format_moves_the_same() {
        QFETCH(QString, name);
        QFETCH(QString, format);
        QFETCH(QString, ending);
        const std::string glb = test::demo("characters/" + name.toStdString() + "/rig.glb");
        const std::string path = in(name + "." + ending);
        Assimp::Importer importer;
        const aiScene* scene = importer.ReadFile(glb, 0);
        QVERIFY(scene);
        Assimp::Exporter exporter;
        QCOMPARE(int(exporter.Export(scene, format.toStdString(), path)), int(aiReturn_SUCCESS));

        // The exporters write other units: a metre is told, so that this test is of the reading alone.
        const LoadedFile original = load_file(glb);
        LoadOptions options;
        options.unit_m = 1.0;
        LoadedFile other = load_file(path, options);
        const double tall = body_height(original.character.rig.skeleton, original.character.roles);
        options.unit_m = tall / body_height(other.character.rig.skeleton, other.character.roles);
        other = load_file(path, options);
        for (const auto& role : needed_roles()) {
            QVERIFY2(other.character.roles.joint(role) >= 0, role.c_str());
            // COLLADA ids have letters and digits only: marks between are the exporter's.
            const auto letters = [](const LoadedFile& file, const std::string& of) {
                QString text = QString::fromStdString(
                    file.character.rig.skeleton.names[size_t(file.character.roles.joint(of))]);
                return text.remove(QRegularExpression("[^A-Za-z0-9]"));
            };
            const QString found = letters(other, role);
            const QString expected = letters(original, role);
            // (a colon becomes a letter: the name space is left out)
            QCOMPARE(found.right(expected.size() - 4), expected.right(expected.size() - 4));
        }
        QVERIFY(!other.character.rig.meshes.empty());
        const LoadedFile source = load_file(test::demo("takes/quay-walk.bvh"));
        const TransferResult a = test::carry(source, original);
        const TransferResult b = test::carry(source, other);
        double largest = 0.0;
        for (const RoleFill& fill : original.character.roles.fills) {
            const int j = other.character.roles.joint(fill.role);
            if (j < 0) continue;
            for (int f = 0; f < a.target.frames; f += 20)
                largest = std::max(
                    largest, (a.target.p[a.target.at(f, fill.joint)] - b.target.p[b.target.at(f, j)]).norm());
        }
        QVERIFY2(largest < 5e-4, qPrintable(QString("%1 m").arg(largest)));
        // Skins too: the lowest and highest vertex stand alike at rest.
        const auto heights = [](const LoadedFile& file) {
            double low = 1e9, high = -1e9;
            for (const Mesh& mesh : file.character.rig.meshes)
                for (const Vec3& v : skin_vertices(mesh, rest_pose(file.character.rig.skeleton))) {
                    low = std::min(low, v.y());
                    high = std::max(high, v.y());
                }
            return std::pair(low, high);
        };
        const auto [low_a, high_a] = heights(original);
        const auto [low_b, high_b] = heights(other);
        QVERIFY2(std::abs(low_a - low_b) < 1e-3 && std::abs(high_a - high_b) < 1e-3,
                 qPrintable(QString("%1 %2, %3 %4").arg(low_a).arg(low_b).arg(high_a).arg(high_b)));
        // And out again.
        export_take(in("out.bvh"), other.character, b.take);
        export_take(in("out.glb"), other.character, b.take);
        QCOMPARE(load_file(in("out.glb")).take->frames, source.take->frames);
    }
    void skeletons_of_the_test_models_are_found() {
        const SkeletonFile animated = read_scene("/usr/share/assimp/models/FBX/animation_with_skeleton.fbx");
        QVERIFY(animated.skeleton.size() > 10 && animated.take.frames == 21);
        for (const auto& name : animated.skeleton.names)
            QVERIFY(name.find("$AssimpFbx$") == std::string::npos && name != "Camera");
        const SkeletonFile bones = read_scene("/usr/share/assimp/models/FBX/huesitos.fbx");
        QVERIFY(bones.take.frames == 40 && !bones.meshes.empty());
        QCOMPARE(bones.unit_m, 0.01);
        // Its positions are Assimp's own, joint by joint, at the first key.
        QVERIFY(read_scene("/usr/share/assimp/models/MD5/SimpleCube.md5mesh").skeleton.size() >= 2);
        QVERIFY(read_scene("/usr/share/assimp/models/X/Testwuson.X").take.frames == 30);
    }
    void what_is_not_there_is_said() {
        for (const auto* path :
             {"/usr/share/assimp/models/IQM/mrfixit.iqm", "/usr/share/assimp/models/FBX/box.fbx"})
            try {
                load_file(path);
                QFAIL(path);
            } catch (const FileError& error) {
                QVERIFY2(QString(error.what()).contains("this reader finds no skeleton"), error.what());
            }
        write_file(in("broken.fbx"), "no such scene, and then nothing");
        write_file(in("broken.dae"), "<?xml version=\"1.0\"?><COLLADA><library");
        for (const auto* name : {"broken.fbx", "broken.dae", "missing.fbx"}) try {
                load_file(in(name));
                QFAIL(name);
            } catch (const FileError& error) {
                QVERIFY2(QString(error.what()).contains(name) && !QString(error.what()).contains('\n'),
                         error.what());
            }
    }
};

NB_TEST(SceneFilesTest)
}  // namespace test_scene_files
#include "test_scene_files.moc"
