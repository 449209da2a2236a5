// The solve of a stream beside the exact solve of the same take: contacts that stand, nothing below the floor, the bodies where
// the exact one has them. The bars are the product's own (docs/live.md); takes: Debian's assimp-testmodels and the demo's.
#include <QtTest>
#include <algorithm>
#include <chrono>

#include "core/motion/edit.hpp"
#include "core/motion/kinematics.hpp"
#include "core/review/bars.hpp"
#include "core/review/review.hpp"
#include "core/solve/engine.hpp"
#include "live/live_solve.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

using namespace nb;

namespace {

struct Streamed {
    double mean_mm = 0.0, mean_deg = 0.0;
    Review review;
    double us = 0.0;
    double slide = 0.0, below_mm = 0.0;
    Review exact;
    WorldMotion target;
};

/// A take as a stream: `ahead_s` is the buffer's length.
Streamed carried_live(const LoadedFile& source, const Take& take, const LoadedFile& target, double ahead_s) {
    Streamed result;
    const TransferResult exact = transfer(source.character, take, target.character, {});
    LiveSolve live(source.character, target.character, {});
    WorldMotion& motion = result.target;
    motion.resize(take.frames, target.character.rig.skeleton.size());
    motion.frame_time_s = take.frame_time_s;
    const int ahead = int(ahead_s / take.frame_time_s + 0.5);
    std::chrono::duration<double> took{};
    std::vector<std::vector<char>> held(8, std::vector<char>(size_t(take.frames), 0));
    std::vector<std::vector<double>> level(8, std::vector<double>(size_t(take.frames), 0));
    int next = take.first_motion_frame;
    for (int f = take.first_motion_frame; f < take.frames; ++f) {
        const auto began = std::chrono::steady_clock::now();
        for (; next <= std::min(take.frames - 1, f + ahead); ++next)
            live.add(next, next * take.frame_time_s, take.rotations(next), take.translated,
                     take.translations(next));
        live.show(f * take.frame_time_s + 1e-9);
        took += std::chrono::steady_clock::now() - began;
        for (size_t i = 0; i < 8; ++i) {
            held[i][size_t(f)] = live.contacts().point(i / 2, FootPoint(i % 2)).is_held;
            level[i][size_t(f)] =
                live.contacts().point(i / 2, FootPoint(i % 2)).level_m * live.plan().program.map.k;
        }
        std::copy(live.target().R.begin(), live.target().R.end(), motion.R.begin() + long(motion.at(f, 0)));
        std::copy(live.target().p.begin(), live.target().p.end(), motion.p.begin() + long(motion.at(f, 0)));
    }
    for (int f = 0; f < take.first_motion_frame; ++f) {
        std::copy_n(exact.target.R.begin() + long(motion.at(f, 0)), motion.joints,
                    motion.R.begin() + long(motion.at(f, 0)));
        std::copy_n(exact.target.p.begin() + long(motion.at(f, 0)), motion.joints,
                    motion.p.begin() + long(motion.at(f, 0)));
    }
    result.us = 1e6 * took.count() / take.frames;
    // Outside the ends of contacts, and what the first half second has to learn of the floor.
    const int ends = int(0.15 / take.frame_time_s);
    std::vector<char> is_end(size_t(take.frames), 0);
    const auto mark = [&](int at) {
        for (int f = std::max(0, at - ends); f < std::min(take.frames, at + ends); ++f) is_end[size_t(f)] = 1;
    };
    for (const Contact& c : exact.contacts.list) {
        if (c.is_touch()) continue;
        mark(c.first);
        mark(c.last);
    }
    double mm = 0.0, deg = 0.0;
    long count = 0;
    for (int f = take.first_motion_frame; f < take.frames; ++f) {
        if (is_end[size_t(f)]) continue;
        for (int j = 0; j < motion.joints; ++j, ++count) {
            mm += 1e3 * (motion.p[motion.at(f, j)] - exact.target.p[motion.at(f, j)]).norm();
            deg += rad_to_deg(angle_between(motion.R[motion.at(f, j)], exact.target.R[motion.at(f, j)]));
        }
    }
    result.mean_mm = mm / double(std::max(1L, count));
    result.mean_deg = deg / double(std::max(1L, count));
    // Core of live contacts.
    std::vector<double> slides, belows;
    const int edge = int(0.05 / take.frame_time_s + 0.5);
    for (size_t i = 0; i < 8; ++i) {
        const EndOp& end = live.plan().program.ends[i / 2];
        if (end.limb < 0) continue;
        for (int f = take.first_motion_frame + edge + 1; f + edge + 1 < take.frames; ++f) {
            bool core = true;
            for (int g = f - edge; g <= f + edge && core; ++g) core = held[i][size_t(g)];
            if (!core) continue;
            const Vec3 a = end.sole.point(FootPoint(i % 2), motion, f - 1),
                       b = end.sole.point(FootPoint(i % 2), motion, f + 1);
            slides.push_back(100 * Vec3(b.x() - a.x(), 0, b.z() - a.z()).norm() / (2 * take.frame_time_s) *
                             1.75 / live.plan().program.body.stature_m);
            belows.push_back(1e3 * (level[i][size_t(f)] - end.sole.point(FootPoint(i % 2), motion, f).y()));
        }
    }
    std::sort(slides.begin(), slides.end());
    std::sort(belows.begin(), belows.end());
    if (!slides.empty()) {
        result.slide = slides[slides.size() * 95 / 100];
        result.below_mm = belows.back();
    }
    result.exact = review_result(source.character, target.character, exact);
    TransferResult told = exact;
    told.target = motion;
    told.corrections.deficits.clear();
    result.review = review_result(source.character, target.character, told);
    return result;
}

}  // namespace

class LiveSolveTest : public QObject {
    Q_OBJECT

  private slots:
    void figures_data() {
        QTest::addColumn<QString>("take");
        for (const char* take :
             {"01_01", "01_03", "quay-walk", "mole-steps", "haul-rope", "carry-crate", "bollard-sit",
              "lantern-signal", "boat-leap", "weary-watch", "dog-trot", "dog-walk"})
            QTest::newRow(take) << take;
    }
    void figures() {
        QFETCH(QString, take);
        const LoadedFile source = take.startsWith("01")
                                      ? load_file(test::capture("" + take.toStdString() + ".bvh"))
                                      : test::demo_take(take.toStdString());
        for (const char* name :
             {"performer", "dockhand", "ferrier", "lamp-child", "net-mender", "quay-dog"}) {
            if (take.startsWith("dog") != (std::string(name) == "quay-dog")) continue;
            const LoadedFile body = test::demo_body(name);
            const Streamed b = carried_live(source, *source.take, body, 0.05);
            qInfo(
                "%-10s mean %.1f mm %.2f deg  slide live core p95 %.2f  below live %.1f | review: slide core "
                "%.2f (exact %.2f) edge %.1f (%.1f) below p95 %.1f (%.1f) max %.1f (%.1f)  %.0f us  jitter "
                "%.1f (%.1f) pops %d (%d)",
                name, b.mean_mm, b.mean_deg, b.slide, b.below_mm, b.review.target_slide_cm_s.p95,
                b.exact.target_slide_cm_s.p95, b.review.target_edge_cm_s.p95, b.exact.target_edge_cm_s.p95,
                b.review.below_mm.p95, b.exact.below_mm.p95, b.review.below_mm.max, b.exact.below_mm.max,
                b.us, b.review.worst_jitter(), b.exact.worst_jitter(), b.review.pop_count(),
                b.exact.pop_count());
        }
    }
};

NB_TEST(LiveSolveTest)
#include "test_live_solve.moc"
