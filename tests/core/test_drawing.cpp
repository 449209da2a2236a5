// Drawing without a window: the camera's two ways to a pixel agree, figures are closed shapes, the skin on
// the GPU stands where the core's linear blend puts it, pictures survive their file.
#include <QImage>
#include <QTemporaryDir>
#include <QtTest>
#include <map>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/library/library.hpp"
#include "core/motion/edit.hpp"
#include "draw/portrait.hpp"
#include "draw/renderer.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_drawing {

using namespace nb;

namespace {

std::shared_ptr<const LoadedFile> crew(const std::string& name) {
    std::vector<std::string> notes;
    const std::string folder = test::demo("characters/" + name);
    return std::make_shared<const LoadedFile>(
        load_character(folder + "/rig.glb", folder + "/character.json", notes));
}

int alpha_at(const Picture& picture, const Vec3& pixel) {
    const int x = int(pixel.x());
    const int y = int(pixel.y());
    if (x < 0 || y < 0 || x >= picture.width || y >= picture.height) return -1;
    return picture.rgba[4 * (size_t(y) * size_t(picture.width) + size_t(x)) + 3];
}

}  // namespace

class DrawingTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

  private slots:
    void projecting_agrees_with_the_matrices() {
        test::Random random(5);
        std::uniform_real_distribution<double> place(-2.0, 2.0);
        for (const View view : {View::three_quarter, View::front, View::side, View::top}) {
            Camera camera;
            set_view(camera, view);
            const Mat4f world_to_clip = camera.projection(1.6) * camera.view();
            for (int n = 0; n < 50; ++n) {
                const Vec3 p(place(random), place(random), place(random));
                const Eigen::Vector4f clip = world_to_clip * p.cast<float>().homogeneous();
                const Vec3 pixel = camera.project(p, 1280, 800);
                QVERIFY(std::abs(double((clip.x() / clip.w() * 0.5f + 0.5f) * 1280) - pixel.x()) < 0.1);
                QVERIFY(std::abs(double((0.5f - clip.y() / clip.w() * 0.5f) * 800) - pixel.y()) < 0.1);
            }
            // The floor under a pixel is what that pixel shows of it.
            for (const double lens : {0.0, 0.16, 0.7}) {
                camera.lens_rad = lens;
                const Vec3 p(place(random), 0.0, place(random));
                const Vec3 pixel = camera.project(p, 1280, 800);
                const auto floor = camera.floor_at(pixel.x(), pixel.y(), 1280, 800);
                if (std::abs(camera.forward().y()) > 1e-3)
                    QVERIFY(floor.has_value() && (*floor - p).norm() < 1e-6);
            }
            set_view(camera, view);
            // What the picture's height spans at the focus is what was asked for.
            const Vec3 top = camera.project(camera.focus_m + 0.5 * camera.height_m * camera.up(), 1280, 800);
            QVERIFY(std::abs(top.y()) < 1e-6 && std::abs(top.x() - 640.0) < 1e-6);
        }
    }
    void named_views_look_from_where_they_say() {
        Camera camera;
        set_view(camera, View::front);  // a body that faces +Z is seen from +Z, its left (+X) at the right
        QVERIFY(camera.eye_m().z() > 5.0 && camera.right().x() > 0.999);
        set_view(camera, View::side);
        QVERIFY(camera.eye_m().x() > 5.0);
        set_view(camera, View::top);
        QVERIFY(camera.eye_m().y() > 5.0);
    }
    void figures_are_closed_and_face_outward() {
        for (const auto* name : {"ferrier", "lamp-child"}) {
            const auto file = crew(name);
            const Figure figure = make_figure(file->character);
            QVERIFY(figure.shadow_index_count > 1000 && figure.shadow_index_count <= figure.indices.size());
            // Every inner edge belongs to two triangles; only the pinched ends of a shape have rims.
            std::map<std::pair<unsigned, unsigned>, int> edges;
            for (size_t i = 0; i < figure.indices.size(); i += 3)
                for (size_t k = 0; k < 3; ++k) {
                    const unsigned a = figure.indices[i + k];
                    const unsigned b = figure.indices[i + (k + 1) % 3];
                    ++edges[{std::min(a, b), std::max(a, b)}];
                }
            int open = 0;
            for (const auto& [edge, count] : edges) {
                QVERIFY(count <= 2);
                if (count == 1) ++open;
            }
            QVERIFY2(open < int(edges.size()) / 8,
                     qPrintable(QString("%1 of %2").arg(open).arg(edges.size())));
            for (const FigureVertex& v : figure.vertices) {
                QVERIFY(v.joint >= 0 && v.joint < float(file->character.rig.skeleton.size()));
                const Eigen::Vector3f n(v.normal[0], v.normal[1], v.normal[2]);
                QVERIFY(std::abs(n.norm() - 1.0f) < 1e-3f);
            }
        }
    }
    void unsure_bones_are_dashed() {
        const LoadedFile file = load_parsed(test::crossed_legs(test::random_body(4)), "crossed", "glb");
        const RoleMap& roles = file.character.roles;
        int dashed = 0;
        for (const FigureVertex& v : make_figure(file.character).vertices) {
            const RoleFill* fill = roles.fill(roles.role_of(int(v.joint)));
            QCOMPARE(v.dash > 0.5f, fill && fill->is_unsure());
            dashed += v.dash > 0.5f;
        }
        QVERIFY(dashed > 50);
    }
    void the_gpu_puts_the_skin_where_the_core_does() {
        // Alone before nothing, every vertex that linear blend of the core puts on the picture is drawn
        // there, and nothing is drawn away from them.
        const auto file = crew("dockhand");
        LoadedFile take = load_file(test::demo("takes/quay-walk.bvh"));
        take.take = trim(*take.take, 200, 201);
        const TransferResult result = test::carry(take, *file);
        const Pose pose = pose_of(result.target, 0);
        Actor actor{&file->character, std::make_shared<const Figure>(make_figure(file->character)),
                    rig_of(file, file->character), pose, BodyLook::mesh};
        Scene scene = make_scene(actor, {}, 0.0, Vec3::UnitX(), ink_stage);
        scene.has_floor = false;
        scene.is_cut_out = true;
        scene.bodies[0].left_marks.clear();
        scene.bodies[0].right_marks.clear();
        Camera camera;
        set_view(camera, View::front);
        camera.focus_m = pose.p[size_t(file->character.roles.joint("hips"))] - Vec3(0, 0.05, 0);
        const OffscreenContext context;
        Renderer renderer;
        const Picture picture = draw_picture(renderer, scene, camera, 800, 800);
        std::vector<char> is_near(800 * 800, 0);
        int missed = 0;
        const auto vertices = skin_vertices(file->character.rig.meshes[0], pose);
        for (const Vec3& v : vertices) {
            const Vec3 pixel = camera.project(v, 800, 800);
            bool is_drawn = false;
            for (int dx = -1; dx <= 1; ++dx)
                for (int dy = -1; dy <= 1; ++dy) is_drawn |= alpha_at(picture, pixel + Vec3(dx, dy, 0)) > 0;
            missed += !is_drawn;
            for (int dx = -14; dx <= 14; ++dx)
                for (int dy = -14; dy <= 14; ++dy) {
                    const int x = int(pixel.x()) + dx;
                    const int y = int(pixel.y()) + dy;
                    if (x >= 0 && y >= 0 && x < 800 && y < 800) is_near[size_t(y) * 800 + size_t(x)] = 1;
                }
        }
        QCOMPARE(missed, 0);
        int strayed = 0;
        for (size_t i = 0; i < is_near.size(); ++i) strayed += picture.rgba[4 * i + 3] > 0 && !is_near[i];
        QCOMPARE(strayed, 0);
    }
    void portraits_stand_on_one_scale() {
        const OffscreenContext context;
        Renderer renderer;
        std::map<std::string, int> tops;
        for (const std::string name : {"ferrier", "dockhand", "lamp-child"}) {
            const Picture picture = draw_portrait(renderer, crew(name), 240);
            QCOMPARE(picture.height, 240);
            int top = -1;
            int lowest = -1;
            for (int y = 0; y < picture.height; ++y)
                for (int x = 0; x < picture.width; ++x)
                    if (picture.rgba[4 * size_t(y * picture.width + x) + 3] > 128) {
                        if (top < 0) top = y;
                        lowest = y;
                    }
            tops[name] = top;
            QVERIFY2(lowest >= 236, name.c_str());  // on the floor
            QVERIFY(picture.rgba[3] == 0);          // clear around
        }
        // The child is about 115 cm of 240, the ferrier with his hat above 210.
        QVERIFY(std::abs((240 - tops["lamp-child"]) - 118) < 14);
        QVERIFY(240 - tops["ferrier"] > 205 && tops["ferrier"] > 0);
        QVERIFY(tops["dockhand"] > tops["ferrier"]);
    }
    void pictures_survive_their_file() {
        Picture picture{3, 2, {255, 0, 0, 255, 0, 255, 0, 255, 0,   0,   255, 255,
                               9,   8, 7, 255, 1, 2,   3, 255, 250, 251, 252, 255}};
        const std::string path = folder_.filePath("p.png").toStdString();
        write_png(path, picture);
        const QImage image(QString::fromStdString(path));
        QCOMPARE(image.pixelColor(1, 0), QColor(0, 255, 0));
        QCOMPARE(image.pixelColor(0, 1), QColor(9, 8, 7));
        QCOMPARE(decode_picture(read_file(path)).rgba, picture.rgba);
        QCOMPARE(decode_picture("no picture").width, 0);
        QVERIFY_THROWS_EXCEPTION(FileError,
                                 write_png(folder_.filePath("no/folder/p.png").toStdString(), picture));
    }
};

NB_TEST(DrawingTest)
}  // namespace test_drawing
#include "test_drawing.moc"
