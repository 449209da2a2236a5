#include "core/touchup/calm.hpp"

#include <algorithm>
#include <cmath>

#include "core/math/hermite.hpp"
#include "core/math/low_pass.hpp"

namespace nb {

namespace {

constexpr double fast_from = 0.75, fast_to = 0.95;  // of the frames

/// How fast a frame is among those that count: 0 below most, 1 among the fastest.
std::vector<double> fastness(const std::vector<Quat>& R, const std::vector<double>& weights) {
    const size_t n = R.size();
    std::vector<double> speed(n, 0.0);
    for (size_t f = 1; f + 1 < n; ++f) speed[f] = 0.5 * angle_between(R[f - 1], R[f + 1]);
    std::vector<double> counted;
    for (size_t f = 0; f < n; ++f)
        if (weights[f] > 0.0) counted.push_back(speed[f]);
    std::sort(counted.begin(), counted.end());
    const auto part = [&](double share) { return counted[size_t(share * double(counted.size() - 1))]; };
    std::vector<double> result(n, 0.0);
    if (counted.empty()) return result;
    const double from = part(fast_from);
    const double over = std::max(part(fast_to) - from, 1e-9);
    for (size_t f = 0; f < n; ++f) {
        result[f] = smooth_step(std::clamp((speed[f] - from) / over, 0.0, 1.0));
    }
    return result;
}

}  // namespace

std::vector<double> weights_of(const TouchSpan& when, double layer_weight, int frames, double start_s,
                               double frame_time_s) {
    std::vector<double> weights(size_t(std::max(0, frames)));
    for (int f = 0; f < frames; ++f)
        weights[size_t(f)] = layer_weight * when.weight(start_s + f * frame_time_s);
    return weights;
}

void calm_turns(std::vector<Quat>& R, double frame_time_s, double cut_off_hz, double keep,
                const std::vector<double>& weights) {
    if (R.size() < 3) return;
    const std::vector<Quat> slow =
        filtered_both_ways(butterworth(corner_for_both_ways(cut_off_hz), 1.0 / frame_time_s), R);
    std::vector<double> stays(R.size(), 0.0);
    if (keep > 0.0) {
        stays = fastness(slow, weights);
        for (double& share : stays) share *= keep;
    }
    for (size_t f = 0; f < R.size(); ++f)
        if (const double w = weights[f] * (1.0 - stays[f]); w > 0.0)
            R[f] = interpolate(R[f], slow[f], w).normalized();
}

void damp_turns(std::vector<Quat>& R, double frame_time_s, double share, double slow_hz,
                const std::vector<double>& weights) {
    if (R.size() < 3) return;
    const std::vector<Quat> slow =
        filtered_both_ways(butterworth(corner_for_both_ways(slow_hz), 1.0 / frame_time_s), R);
    for (size_t f = 0; f < R.size(); ++f)
        if (weights[f] > 0.0) R[f] = interpolate(R[f], slow[f], weights[f] * (1.0 - share)).normalized();
}

void hold_inside(std::vector<Quat>& R, const Quat& middle, double most_rad,
                 const std::vector<double>& weights) {
    const double half = 0.5 * most_rad;
    for (size_t f = 0; f < R.size(); ++f) {
        if (weights[f] <= 0.0) continue;
        const Vec3 v = log_rotation(middle.conjugate() * R[f]);
        const double angle = v.norm();
        if (angle <= half) continue;
        const double held = half + (most_rad - half) * std::tanh((angle - half) / (most_rad - half));
        const Quat inside = middle * exp_rotation(held / angle * v);
        R[f] = interpolate(R[f], inside, weights[f]).normalized();
    }
}

}  // namespace nb
