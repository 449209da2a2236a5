#include "core/review/windows.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

constexpr double still_speed_m_s = 0.20;
constexpr double low_height_m = 0.05;
constexpr double height_reach_s = 0.75;
constexpr double speed_reach_s = 0.025;
constexpr double least_window_s = 0.1;

}  // namespace

std::vector<ReviewWindow> find_review_windows(const Character& source, const WorldMotion& motion,
                                              double frame_time_s, int first_frame) {
    const Floor floor = find_floor(source, motion, frame_time_s, first_frame);
    std::vector<ReviewWindow> windows;
    const double to_reference = reference_stature_m / stature(source.rig.skeleton, source.roles);
    const int speed_reach = std::max(1, int(std::lround(speed_reach_s / frame_time_s)));
    const int height_reach = std::max(1, int(std::lround(height_reach_s / frame_time_s)));
    const int least = std::max(2, int(std::lround(least_window_s / frame_time_s)));
    const int end = motion.frames;
    std::vector<Vec3> place(size_t(end), Vec3::Zero());
    std::vector<double> heights;
    for (const auto& sole : soles_of(source)) {
        if (!sole) continue;
        for (const FootPoint point : sole->resting()) {
            for (int f = first_frame; f < end; ++f) place[size_t(f)] = sole->point(point, motion, f);
            int start = -1;
            for (int f = first_frame; f <= end; ++f) {
                bool rests = false;
                if (f < end) {
                    const int before = std::max(first_frame, f - speed_reach);
                    const int after = std::min(end - 1, f + speed_reach);
                    const double moved = (place[size_t(after)] - place[size_t(before)]).norm();
                    const double speed = after > before ? moved / ((after - before) * frame_time_s) : 0.0;
                    double lowest = place[size_t(f)].y();
                    for (int g = std::max(first_frame, f - height_reach);
                         g <= std::min(end - 1, f + height_reach); ++g)
                        lowest = std::min(lowest, place[size_t(g)].y());
                    rests = speed * to_reference < still_speed_m_s &&
                            (place[size_t(f)].y() - lowest) * to_reference < low_height_m;
                }
                if (rests && start < 0) start = f;
                if (rests || start < 0) continue;
                if (f - start >= least) {
                    heights.clear();
                    for (int g = start; g < f; ++g) heights.push_back(place[size_t(g)].y());
                    const auto middle = heights.begin() + std::ptrdiff_t(heights.size() / 2);
                    std::nth_element(heights.begin(), middle, heights.end());
                    const double level = floor.nearest(*middle);
                    if (std::abs(*middle - level) * to_reference < low_height_m)
                        windows.push_back({sole->name(point), start, f, level});
                }
                start = -1;
            }
        }
    }
    return windows;
}

std::vector<double> floor_under(const std::vector<ReviewWindow>& windows, size_t limb, int frames) {
    std::vector<double> now(size_t(frames), no_floor_m);
    for (const ReviewWindow& window : windows)
        if (const auto point = contact_point(window.point); point && point->limb == limb)
            for (int f = window.first; f < window.last; ++f)
                now[size_t(f)] = std::min(now[size_t(f)], window.level_m);
    std::vector<double> before = now;
    std::vector<double> after = now;
    for (size_t f = 1; f < now.size(); ++f)
        if (now[f] >= no_floor_m) before[f] = before[f - 1];
    for (size_t f = now.size(); f-- > 1;)
        if (now[f - 1] >= no_floor_m) after[f - 1] = after[f];
    for (size_t f = 0; f < now.size(); ++f) now[f] = std::min(before[f], after[f]);
    return now;
}

}  // namespace nb
