#include "core/review/smoothness.hpp"

#include <algorithm>
#include <cmath>

#include "core/motion/kinematics.hpp"
#include "core/review/statistics.hpp"

namespace nb {

namespace {

constexpr double least_pop_rad_s = 200.0 * pi / 180.0;
constexpr double pop_by_median = 6.0;
constexpr double median_reach_s = 0.25;
constexpr double jitter_reach_s = 0.1;
constexpr double least_span_s = 1.0 / 120.0;
constexpr double least_acceleration_rad_s2 = 50.0;

struct Turning {
    std::vector<double> speed;   // of frame f to the one a span later
    std::vector<double> change;  // at frame f
};

Turning turning_of(const WorldMotion& motion, int joint, double span_s, int span, int first) {
    Turning turning;
    turning.speed.assign(size_t(motion.frames), 0.0);
    turning.change.assign(size_t(motion.frames), 0.0);
    std::vector<Vec3> w(size_t(motion.frames), Vec3::Zero());
    for (int f = first; f + span < motion.frames; ++f) {
        const Quat step = motion.R[motion.at(f + span, joint)] * motion.R[motion.at(f, joint)].conjugate();
        w[size_t(f)] = log_rotation(step) / span_s;
        turning.speed[size_t(f)] = w[size_t(f)].norm();
        if (f >= first + span) turning.change[size_t(f)] = (w[size_t(f)] - w[size_t(f - span)]).norm();
    }
    return turning;
}

/// Frames at which a change stands out of its surroundings.
std::vector<char> stand_out(const std::vector<double>& change, int reach, int first, int span) {
    const int frames = int(change.size());
    std::vector<char> result(change.size(), 0);
    for (int f = first + span; f + span < frames; ++f) {
        if (change[size_t(f)] <= least_pop_rad_s) continue;
        const int from = std::max(first + span, f - reach);
        const int to = std::min(frames - span, f + reach + 1);
        // Above so many times the median: so it is above as many times more than half of them.
        const auto below = std::count_if(change.begin() + from, change.begin() + to,
                                         [&](double one) { return pop_by_median * one < change[size_t(f)]; });
        result[size_t(f)] = below > (to - from) / 2;
    }
    return result;
}

}  // namespace

namespace {

/// Root mean square of changes over +-`reach` frames, by the span.
std::vector<double> around(const std::vector<double>& change, int reach, int first, double span_s) {
    const int frames = int(change.size());
    std::vector<double> sums(size_t(frames) + 1, 0.0);
    for (int f = 0; f < frames; ++f) sums[size_t(f) + 1] = sums[size_t(f)] + std::pow(change[size_t(f)], 2);
    std::vector<double> result(size_t(frames), 0.0);
    for (int f = first; f < frames; ++f) {
        const int from = std::max(first, f - reach), to = std::min(frames, f + reach + 1);
        result[size_t(f)] =
            std::sqrt(std::max(0.0, sums[size_t(to)] - sums[size_t(from)]) / (to - from)) / span_s;
    }
    return result;
}

}  // namespace

double RoleSmoothness::jitter() const {
    return target_acceleration_rad_s2 / std::max(source_acceleration_rad_s2, least_acceleration_rad_s2);
}

RoleSmoothness smoothness(const std::string& role, const WorldMotion& source,
                          const std::vector<int>& source_joints, const WorldMotion& target, int target_joint,
                          double frame_time_s, int first_frame) {
    RoleSmoothness result;
    result.role = role;
    // Frames closer than that tell of the rate, not of the motion.
    const int span = std::max(1, int(std::lround(least_span_s / frame_time_s)));
    const double span_s = span * frame_time_s;
    const Turning T = turning_of(target, target_joint, span_s, span, first_frame);
    const int reach = std::max(3, int(std::lround(median_reach_s / frame_time_s)));
    const std::vector<char> T_out = stand_out(T.change, reach, first_frame, span);
    Turning S;
    std::vector<char> S_out(size_t(source.frames), 0);
    for (const int joint : source_joints) {
        const Turning one = turning_of(source, joint, span_s, span, first_frame);
        const std::vector<char> out = stand_out(one.change, reach, first_frame, span);
        if (S.change.empty()) S = one;
        for (size_t f = 0; f < S_out.size(); ++f) {
            S.change[f] = std::max(S.change[f], one.change[f]);
            S.speed[f] = std::max(S.speed[f], one.speed[f]);
            S_out[f] |= out[f];
        }
    }
    std::vector<double> S_values, T_values, S_speeds, T_speeds;
    for (int f = first_frame + span; f + span < source.frames; ++f) {
        const size_t at = size_t(f);
        const auto source_within = [&](int spans, const auto& is) {
            for (int g = std::max(first_frame + span, f - spans * span);
                 g <= std::min(source.frames - 1 - span, f + spans * span); ++g)
                if (is(size_t(g))) return true;
            return false;
        };
        // One that lasts for several spans is one.
        const auto is_largest = [&] {
            return std::all_of(T.change.begin() + std::max(0, f - span + 1),
                               T.change.begin() + std::min(source.frames, f + span),
                               [&](double one) { return one <= T.change[at]; });
        };
        if (T_out[at] && is_largest() &&
            !source_within(1, [&](size_t g) { return S_out[g] != 0 || S.change[g] > 0.5 * T.change[at]; }))
            result.pops.push_back({role, f, rad_to_deg(T.change[at])});
        if (source_within(2, [&](size_t g) { return S_out[g] != 0; })) continue;
        S_values.push_back(S.change[at] / span_s);
        T_values.push_back(T.change[at] / span_s);
        S_speeds.push_back(rad_to_deg(S.speed[at]));
        T_speeds.push_back(rad_to_deg(T.speed[at]));
    }
    const int near = std::max(1, int(std::lround(jitter_reach_s / frame_time_s)));
    const std::vector<double> S_around = around(S.change, near, first_frame, span_s);
    const std::vector<double> T_around = around(T.change, near, first_frame, span_s);
    for (size_t f = 0; f < std::min(S_around.size(), T_around.size()); ++f) {
        const double over = T_around[f] / std::max(S_around[f], least_acceleration_rad_s2) - 1.0;
        if (over <= 0.0) continue;
        result.jitter_by_frame.resize(T_around.size(), 0.0F);
        result.jitter_by_frame[f] = float(over);
    }
    result.source_acceleration_rad_s2 = nearest_rank(S_values, 0.99);
    result.target_acceleration_rad_s2 = nearest_rank(T_values, 0.99);
    result.source_speed_deg_s = nearest_rank(S_speeds, 0.95);
    result.target_speed_deg_s = nearest_rank(T_speeds, 0.95);
    return result;
}

}  // namespace nb
