// Takes: resampling, trimming, the reference frame before the motion.
#include <QtTest>

#include "core/intake/load.hpp"
#include "core/motion/edit.hpp"
#include "core/motion/heading.hpp"
#include "core/motion/kinematics.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_takes {

using namespace nb;

class TakesTest : public QObject {
    Q_OBJECT

  private slots:
    void headings_of_known_turns() {
        // Four joints of a body that turns by 10 degrees a frame for 90 frames, upright but for frames 30
        // to 39.
        WorldMotion motion;
        motion.resize(90, 4);
        const double dt = 1.0 / 30.0;
        for (int f = 0; f < 90; ++f) {
            const Quat turn = exp_rotation(deg_to_rad(10.0 * f) * Vec3::UnitY());
            const bool is_lying = f >= 30 && f < 40;
            const Quat lie = exp_rotation((is_lying ? deg_to_rad(80.0) : 0.0) * Vec3::UnitX());
            const Vec3 at(0.02 * f, 0.9, 0.01 * f);
            for (int j = 0; j < 4; ++j) {
                const Vec3 from_hips((j % 2 == 0 ? 0.1 : -0.1) * (j < 2 ? 1.0 : 2.0), j < 2 ? 0.0 : 0.5, 0.0);
                motion.p[motion.at(f, j)] = at + turn * (lie * from_hips);
                motion.R[motion.at(f, j)] = turn * lie;
            }
        }
        const BodyLines lines{0, 1, 2, 3};
        const auto heading = headings(motion, lines, dt, 0);
        for (int f = 0; f < 30; ++f) QVERIFY(std::abs(rad_to_deg(heading[size_t(f)]) - 10.0 * f) < 1e-9);
        // Lying: as it was; then led back within 0.3 s, nine frames, and unwrapped all the way.
        for (int f = 30; f < 40; ++f) QVERIFY(std::abs(rad_to_deg(heading[size_t(f)]) - 290.0) < 1e-9);
        QVERIFY(std::abs(rad_to_deg(heading[40]) - 290.0) < 1e-9);
        for (int f = 50; f < 90; ++f) QVERIFY(std::abs(rad_to_deg(heading[size_t(f)]) - 10.0 * f) < 1e-6);
        for (int f = 1; f < 90; ++f)
            QVERIFY(std::abs(heading[size_t(f)] - heading[size_t(f) - 1]) < deg_to_rad(40.0));
        // Travel and what is left give back the original.
        const auto track = root_track(motion, lines, dt, 0);
        for (int f = 0; f < 90; ++f) {
            const Rigid X{motion.R[motion.at(f, 0)], motion.p[motion.at(f, 0)]};
            const Rigid back = track[size_t(f)] * (inverse(track[size_t(f)]) * X);
            QVERIFY((back.p - X.p).norm() < 1e-12 && angle_between(back.R, X.R) < 1e-7);
            QVERIFY(track[size_t(f)].p.y() == 0.0 && std::abs(track[size_t(f)].p.x() - 0.02 * f) < 1e-12);
        }
    }
    void half_the_rate_keeps_every_second_frame() {
        // 60 -> 30 frames a second: every second key, duration unchanged, exact (common practice).
        const LoadedFile walk = load_file(test::demo("takes/quay-walk.bvh"));
        const Take& take = *walk.take;
        const Take half = resample(take, 30.0);
        QCOMPARE(half.frames, (take.frames - 1) / 2 + 1);
        for (int f = 0; f < half.frames; ++f)
            for (int j = 0; j < take.joints; ++j)
                QCOMPARE(half.rotations(f)[size_t(j)].coeffs(), take.rotations(2 * f)[size_t(j)].coeffs());
        QVERIFY(std::abs((half.frames - 1) * half.frame_time_s - (take.frames - 1) * take.frame_time_s) <
                1.0 / 30.0);
    }
    void rates_are_what_is_meant() {
        // .0083333 is written for 1/120 s; frames meet to the end of a long take.
        const LoadedFile capture = load_file(test::capture("01_03.bvh"));
        QCOMPARE(capture.take->nominal_fps(), 120.0);
        const Take slow = resample(*capture.take, 30.0);
        QCOMPARE(slow.rotations(1127)[5].coeffs(), capture.take->rotations(4508)[5].coeffs());
        Take odd = *capture.take;
        odd.frame_time_s = 0.0097;
        odd.frame_time_text = "0.0097000";
        QVERIFY(std::abs(odd.nominal_fps() - 1.0 / 0.0097) < 1e-12);
    }
    void other_rates_keep_the_duration() {
        const LoadedFile walk = load_file(test::demo("takes/quay-walk.bvh"));
        for (const double fps : {24.0, 25.0, 50.0, 100.0, 120.0}) {
            const Take other = resample(*walk.take, fps);
            const double lost = (walk.take->frames - 1) * walk.take->frame_time_s - (other.frames - 1) / fps;
            QVERIFY(lost > -1e-3 && lost < 1.0 / fps + 1e-3);
        }
    }
    void two_frames_have_the_geodesic_between_them() {
        SkeletonFile body = test::random_body(1);
        body.take = test::random_motion(body, 1, 2);
        const Take more = resample(body.take, 240.0);
        QCOMPARE(more.frames, 5);
        for (int j = 0; j < body.take.joints; ++j) {
            const Quat a = more.rotations(0)[size_t(j)];
            const double whole = angle_between(a, more.rotations(4)[size_t(j)]);
            for (int f = 1; f < 5; ++f)
                QVERIFY(std::abs(angle_between(a, more.rotations(f)[size_t(j)]) - whole * f / 4.0) < 1e-9);
        }
    }
    void trimming_keeps_the_frames() {
        const LoadedFile walk = load_file(test::demo("takes/quay-walk.bvh"));
        const Take part = trim(*walk.take, 10, 25);
        QCOMPARE(part.frames, 15);
        QCOMPARE(part.rotations(0)[3].coeffs(), walk.take->rotations(10)[3].coeffs());
        QCOMPARE(part.translations(14)[0], walk.take->translations(24)[0]);
        QCOMPARE(trim(*walk.take, 30, 10).frames, 0);
        QCOMPARE(trim(*walk.take, -5, 100000).frames, walk.take->frames);
    }
    void a_reference_frame_before_the_motion_is_found() {
        // BVH/01_01.bvh and 01_03.bvh start with a T-pose of their own; the simulated walk does not.
        QCOMPARE(load_file(test::capture("01_01.bvh")).take->first_motion_frame, 1);
        QCOMPARE(load_file(test::capture("01_03.bvh")).take->first_motion_frame, 1);
        QCOMPARE(load_file(test::demo("takes/quay-walk.bvh")).take->first_motion_frame, 0);
        // Trimmed off, it is no longer there.
        const Take cut = trim(*load_file(test::capture("01_01.bvh")).take, 1, 500);
        QCOMPARE(cut.first_motion_frame, 0);
        QCOMPARE(find_first_motion_frame(cut), 0);
    }
};

NB_TEST(TakesTest)
}  // namespace test_takes
#include "test_takes.moc"
