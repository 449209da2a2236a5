// Takes: resampling, trimming, the reference frame before the motion.
#include <QtTest>

#include "core/io/load.hpp"
#include "tests/support/test_rigs.hpp"

using namespace nb;

class TakesTest : public QObject {
    Q_OBJECT

  private slots:
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
    void between_frames_the_rotation_is_on_the_geodesic() {
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

QTEST_GUILESS_MAIN(TakesTest)
#include "test_takes.moc"
