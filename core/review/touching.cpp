#include "core/review/touching.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/parallel.hpp"
#include "core/motion/looks.hpp"
#include "core/review/skin_gap.hpp"

namespace nb {

namespace {

constexpr double reach_m = 0.1;
constexpr int seldom = 4;  // where nothing touches: every fourth look

bool is_touching(const std::vector<ToldTouch>& touches, Side side, int frame) {
    return std::any_of(touches.begin(), touches.end(), [&](const ToldTouch& touch) {
        return touch.side == side && frame >= touch.first && frame < touch.last;
    });
}

/// Frames that are looked at.
std::vector<int> looks(const WorldMotion& motion, const std::vector<ToldTouch>& touches, int first_frame) {
    const int step = look_step(motion.frame_time_s, TouchReview::looks_a_second);
    std::vector<int> frames;
    int count = 0;
    for (int f = first_frame; f < motion.frames; f += step)
        if (count++ % seldom == 0 || is_touching(touches, Side::left, f) ||
            is_touching(touches, Side::right, f))
            frames.push_back(f);
    return frames;
}

}  // namespace

TouchReview review_touching(const Character& body, const WorldMotion& motion,
                            const std::vector<ToldTouch>& touches, int first_frame) {
    TouchReview review;
    const std::vector<int> frames = looks(motion, touches, first_frame);
    std::vector<double> gaps, sunk, depths;
    std::vector<int> at_touch, at_all;
    const std::array<SkinGauge, 2> gauges{SkinGauge(body, Side::left), SkinGauge(body, Side::right)};
    if (gauges[0].is_empty() && gauges[1].is_empty()) return review;
    std::vector<std::array<SkinGauge::Reading, 2>> readings(frames.size());
    for_each_frame(int(frames.size()), 0, [&](int first, int last) {
        for (int i = first; i < last; ++i) {
            const int f = frames[size_t(i)];
            const BodySkin skin = skin_of(body, pose_of(motion, f));
            for (const size_t hand : {size_t(0), size_t(1)}) {
                const bool asks_gap = is_touching(touches, hand == 0 ? Side::left : Side::right, f);
                readings[size_t(i)][hand] =
                    asks_gap ? gauges[hand].read(skin, reach_m) : gauges[hand].read_depth(skin, reach_m);
            }
        }
    });
    for (const size_t hand : {size_t(0), size_t(1)}) {
        const Side side = hand == 0 ? Side::left : Side::right;
        if (gauges[hand].is_empty()) continue;
        review.gap_cm[hand].assign(size_t(motion.frames), 0.0F);
        review.depth_cm[hand].assign(size_t(motion.frames), 0.0F);
        for (size_t i = 0; i < frames.size(); ++i) {
            const double gap_mm = 1000.0 * readings[i][hand].gap_m;
            const double depth_mm = 1000.0 * readings[i][hand].deepest_m;
            ++review.looked_at;
            review.deep += depth_mm > TouchReview::deep_mm;
            depths.push_back(depth_mm);
            at_all.push_back(frames[i]);
            const int next = i + 1 < frames.size() ? frames[i + 1] : motion.frames;
            for (int f = frames[i]; f < next; ++f) review.depth_cm[hand][size_t(f)] = float(0.1 * depth_mm);
            if (!is_touching(touches, side, frames[i])) continue;
            for (int f = frames[i]; f < next && is_touching(touches, side, f); ++f)
                review.gap_cm[hand][size_t(f)] = float(0.1 * std::max(0.0, gap_mm));
            ++review.touching;
            review.kept += gap_mm <= TouchReview::kept_gap_mm && gap_mm >= -TouchReview::kept_depth_mm;
            gaps.push_back(std::max(0.0, gap_mm));
            sunk.push_back(std::max(0.0, -gap_mm));
            at_touch.push_back(frames[i]);
        }
    }
    review.gap_mm = statistics(gaps, at_touch);
    review.sunk_mm = statistics(sunk, at_touch);
    review.depth_mm = statistics(depths, at_all);
    return review;
}

}  // namespace nb
