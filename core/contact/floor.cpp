#include "core/contact/floor.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

constexpr double still_m_s = 0.15;
constexpr double speed_reach_s = 0.025;
constexpr double least_rest_s = 0.1;
constexpr double one_level_m = 0.06;
constexpr double least_level_s = 0.25;

struct Rest {
    double height_m;
    int frames;
};

/// Median of heights weighted by frames; `rests` in rising order.
double weighted_median(const std::vector<Rest>& rests) {
    int all = 0;
    for (const Rest& rest : rests) all += rest.frames;
    int sum = 0;
    for (const Rest& rest : rests)
        if (2 * (sum += rest.frames) >= all) return rest.height_m;
    return rests.back().height_m;
}

double median(std::vector<double> values) {
    const auto middle = values.begin() + std::ptrdiff_t(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

}  // namespace

Floor find_floor(const Character& source, const WorldMotion& motion, double frame_time_s, int first_frame) {
    const double scale = stature(source.rig.skeleton, source.roles) / reference_stature_m;
    const int least = std::max(2, int(std::lround(least_rest_s / frame_time_s)));
    std::vector<Rest> rests;
    std::vector<double> heights;
    std::vector<Vec3> places(size_t(motion.frames), Vec3::Zero());
    const int reach = std::max(1, int(std::lround(speed_reach_s / frame_time_s)));
    for (const auto& sole : soles_of(source)) {
        if (!sole || !sole->is_on_floor()) continue;
        heights.clear();
        const auto close = [&] {
            if (int(heights.size()) >= least) rests.push_back({median(heights), int(heights.size())});
            heights.clear();
        };
        for (int f = first_frame; f < motion.frames; ++f)
            places[size_t(f)] = sole->point(FootPoint::ball, motion, f);
        for (int f = first_frame; f < motion.frames; ++f) {
            if (speed_over(places, f, first_frame, reach, frame_time_s) < still_m_s * scale)
                heights.push_back(places[size_t(f)].y());
            else
                close();
        }
        close();
    }
    Floor floor;
    if (rests.empty()) {
        floor.levels_m = {0.0};
        return floor;
    }
    std::sort(rests.begin(), rests.end(),
              [](const Rest& a, const Rest& b) { return a.height_m < b.height_m; });
    std::vector<std::vector<Rest>> levels;
    levels.reserve(rests.size());
    for (const Rest& rest : rests) levels.push_back({rest});
    while (levels.size() > 1) {
        size_t closest = 0;
        double least_gap = 1e30;
        for (size_t i = 0; i + 1 < levels.size(); ++i) {
            const double gap = weighted_median(levels[i + 1]) - weighted_median(levels[i]);
            if (gap < least_gap) {
                least_gap = gap;
                closest = i;
            }
        }
        if (least_gap > one_level_m * scale) break;
        auto& into = levels[closest];
        const auto& from = levels[closest + 1];
        into.insert(into.end(), from.begin(), from.end());
        levels.erase(levels.begin() + std::ptrdiff_t(closest) + 1);
    }
    const auto frames_of = [](const std::vector<Rest>& level) {
        int frames = 0;
        for (const Rest& rest : level) frames += rest.frames;
        return frames;
    };
    int most = 0;
    for (const auto& level : levels) most = std::max(most, frames_of(level));
    for (const auto& level : levels)
        if (frames_of(level) * frame_time_s >= least_level_s || frames_of(level) == most)
            floor.levels_m.push_back(weighted_median(level));
    return floor;
}

}  // namespace nb
