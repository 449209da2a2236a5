#include "core/review/windows.hpp"

#include <algorithm>
#include <cmath>

#include "core/math/curves.hpp"

namespace nb {

namespace {

constexpr double still_speed_m_s = 0.20;
constexpr double low_height_m = 0.05;
constexpr double height_reach_s = 0.75;
constexpr double least_window_s = 0.1;
constexpr double clear_share = 0.3;

/// The level a point at a height rests on; empty between two, or far from any.
const double* level_at(const std::vector<double>& ground, double height, double most_m) {
    const double* best = nullptr;
    for (const double& level : ground)
        if (!best || std::abs(level - height) < std::abs(*best - height)) best = &level;
    if (!best) return nullptr;
    double room = 1e30;
    for (const double& level : ground)
        if (&level != best) room = std::min(room, std::abs(level - *best));
    return std::abs(*best - height) < std::min(most_m, clear_share * room) ? best : nullptr;
}

}  // namespace

std::vector<ReviewWindow> find_review_windows(const Character& source, const WorldMotion& motion,
                                              double frame_time_s, int first_frame) {
    Watched watched = watch(source, motion, frame_time_s, first_frame);
    const std::vector<double> ground = find_ground(watched);
    return find_review_windows(watched, ground);
}

std::vector<ReviewWindow> find_review_windows(const Watched& watched, const std::vector<double>& ground) {
    std::vector<ReviewWindow> windows;
    const int reach = watched.frames_in(height_reach_s);
    std::vector<double> heights;
    for (const auto& [end, point, p] : watched.points) {
        heights.clear();
        for (int f = watched.first; f < watched.frames; ++f) heights.push_back(p[size_t(f)].y());
        const std::vector<double> lowest = lowest_within(heights, reach);
        int start = -1;
        for (int f = watched.first; f <= watched.frames; ++f) {
            bool rests = false;
            if (f < watched.frames) {
                const double y = p[size_t(f)].y();
                rests = (y - lowest[size_t(f - watched.first)]) * watched.to_reference < low_height_m &&
                        watched.velocity(p, f).norm() < still_speed_m_s * watched.grown(f);
            }
            if (rests && start < 0) start = f;
            if (rests || start < 0) continue;
            if (f - start >= watched.frames_in(least_window_s / watched.grown((start + f) / 2), 2)) {
                heights.clear();
                for (int g = start; g < f; ++g) heights.push_back(p[size_t(g)].y());
                const auto middle = heights.begin() + std::ptrdiff_t(heights.size() / 2);
                std::nth_element(heights.begin(), middle, heights.end());
                if (const double* level = level_at(ground, *middle, low_height_m / watched.to_reference))
                    windows.push_back({point->name, start, f, *level});
            }
            start = -1;
        }
    }
    return windows;
}

std::vector<double> floor_under(const std::vector<ReviewWindow>& windows, const StandingEnd& end,
                                int frames) {
    std::vector<double> now(size_t(frames), no_floor_m);
    for (const ReviewWindow& window : windows)
        if (end.point(window.point))
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
