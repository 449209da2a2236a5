// Rest alignment: the best reference pose is found, limbs stand in the common stance, hinges say where they
// come from; and how files are brought into the world.
#include <QtTest>

#include "core/files/bvh.hpp"
#include "core/intake/load.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_alignment {

using namespace nb;

namespace {

double off_stance_deg(const Character& c, const char* role, const char* next) {
    const auto& p = c.rest.p_WJ0;
    const Vec3 direction = p[size_t(c.roles.joint(next))] - p[size_t(c.roles.joint(role))];
    return rad_to_deg(angle_between(direction, stance_direction(role)));
}

double largest_off_stance_deg(const Character& c) {
    double largest = 0.0;
    for (const auto& [role, next] : {std::pair{"upperarm.left", "forearm.left"},
                                     {"forearm.left", "hand.left"},
                                     {"thigh.left", "shin.left"},
                                     {"shin.left", "foot.left"},
                                     {"upperarm.right", "forearm.right"},
                                     {"forearm.right", "hand.right"},
                                     {"thigh.right", "shin.right"},
                                     {"shin.right", "foot.right"}})
        largest = std::max(largest, off_stance_deg(c, role, next));
    return largest;
}

}  // namespace

class AlignmentTest : public QObject {
    Q_OBJECT

  private slots:
    void the_first_frame_is_found_in_captures() {
        // Measured in the files: the zero pose splays the legs by 20 degrees, frame 0 is a T-pose with the
        // arms about 5 degrees down and the legs 3 out.
        for (const auto* name : {"01_01.bvh", "01_03.bvh"}) {
            const LoadedFile file = load_file(test::capture(name));
            QCOMPARE(file.character.rest.reference, std::string("first frame"));
            const double mean = rad_to_deg(file.character.rest.mean_deviation_rad);
            QVERIFY2(mean > 2.0 && mean < 6.0, qPrintable(QString::number(mean)));
            QVERIFY(largest_off_stance_deg(file.character) < 1e-5);
        }
    }
    void any_rest_comes_into_the_stance() {
        for (const auto* name :
             {"dockhand/rig.bvh", "ferrier/rig.glb", "lamp-child/rig.bvh", "performer/rig.bvh"}) {
            const LoadedFile file = load_file(test::rig(std::string() + name));
            QVERIFY2(largest_off_stance_deg(file.character) < 1e-4, name);
        }
        for (std::uint64_t seed = 1; seed <= 40; ++seed) {
            test::BodyOptions options;
            options.rest_off_deg = 60;
            options.random_axes = seed % 2;
            const LoadedFile file = load_parsed(test::random_body(seed, options), "random", "glb");
            QVERIFY(largest_off_stance_deg(file.character) < 1e-4);
        }
    }
    void a_stated_pose_is_undone() {
        // The dockhand's rest was made by lowering the arms 45 degrees from level: the alignment says so.
        const LoadedFile file = load_file(test::rig("dockhand/rig.bvh"));
        for (const StanceDeviation& d : file.character.rest.deviations)
            if (d.role.starts_with("upperarm"))
                QVERIFY2(std::abs(rad_to_deg(d.direction_rad) - 45.0) < 0.5,
                         qPrintable(QString::number(rad_to_deg(d.direction_rad))));
    }
    void hinges_say_where_they_come_from() {
        const LoadedFile capture = load_file(test::capture("01_01.bvh"));
        for (const auto& [limb, hinge] : capture.character.rest.hinges) {
            QVERIFY(std::abs(hinge.n_W.norm() - 1.0) < 1e-9);
            QVERIFY2(hinge.source != HingeSource::assumed, limb.c_str());
        }
        const LoadedFile straight = load_file(test::rig("ferrier/rig.glb"));
        QVERIFY(straight.character.rest.hinges.at("leg.left").source == HingeSource::assumed);
        const LoadedFile bent = load_file(test::rig("lamp-child/rig.bvh"));
        QVERIFY(bent.character.rest.hinges.at("arm.left").source == HingeSource::rest_bend);
    }
    void bodies_stand_over_the_origin_on_the_floor() {
        for (const auto* name : {"dockhand/rig.bvh", "ferrier/rig.glb", "lamp-child/rig.bvh"}) {
            const LoadedFile file = load_file(test::rig(std::string() + name));
            const auto& c = file.character;
            const Vec3 centre = 0.5 * (c.rest.p_WJ0[size_t(c.roles.joint("thigh.left"))] +
                                       c.rest.p_WJ0[size_t(c.roles.joint("thigh.right"))]);
            QVERIFY(std::hypot(centre.x(), centre.z()) < 1e-9);
            const double ankle = 0.5 * (c.rest.p_WJ0[size_t(c.roles.joint("foot.left"))].y() +
                                        c.rest.p_WJ0[size_t(c.roles.joint("foot.right"))].y());
            QVERIFY(std::abs(ankle - c.rest.ankle_height_m) < 1e-9);
            QVERIFY(ankle > 0.02 && ankle < 0.12);
        }
    }

    void units_are_guessed_and_said_data() {
        QTest::addColumn<double>("unit");
        for (const double unit : {1.0, 0.01, 0.0254, 0.001, 0.3048})
            QTest::newRow(qPrintable(QString::number(unit))) << unit;
    }
    void units_are_guessed_and_said() {
        // A body of 175 cm (the performer) written in common units.
        QFETCH(double, unit);
        const SkeletonFile file = test::scaled(read_bvh(test::rig("performer/rig.bvh")), 0.01 / unit);
        const LoadedFile loaded = load_bvh(format_bvh(file), "body.bvh");
        QCOMPARE(loaded.character.rig.conventions.unit_m, unit);
        QVERIFY(loaded.character.rig.conventions.is_unit_guessed);
        QVERIFY(loaded.character.rig.conventions.unit_reason.find("cm tall") != std::string::npos);
    }
    void axes_are_found() {
        const auto conventions = [](const char* name) {
            return load_file(test::rig(std::string() + name)).character.rig.conventions;
        };
        QCOMPARE(conventions("dockhand/rig.bvh").up, std::string("+Z"));
        QCOMPARE(conventions("dockhand/rig.bvh").facing, std::string("-Y"));
        QCOMPARE(conventions("lamp-child/rig.bvh").facing, std::string("+X"));
        QCOMPARE(conventions("lamp-child/rig.bvh").unit_m, 0.0254);
        QCOMPARE(conventions("ferrier/rig.glb").up, std::string("+Y"));
        QVERIFY(!conventions("ferrier/rig.glb").is_unit_guessed);
    }
};

NB_TEST(AlignmentTest)
}  // namespace test_alignment
#include "test_alignment.moc"
