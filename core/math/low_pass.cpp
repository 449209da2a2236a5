#include "core/math/low_pass.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

namespace {

constexpr double raised_by = 1.0 / 0.75;
constexpr double highest_share = 0.49;  // of the rate
constexpr int beyond_ends = 9;          // three times the filter's length

/// One way, in the steady state of the first value (direct form II transposed).
template <typename Value>
void run(const SecondOrder& filter, std::vector<Value>& values) {
    const auto& [b, a] = filter;
    // The state that holds a constant 1: y = gain.
    const double gain = (b[0] + b[1] + b[2]) / (1.0 + a[1] + a[2]);
    Value first = (gain - b[0]) * values.front();
    Value second = (b[2] - a[2] * gain) * values.front();
    for (Value& x : values) {
        const Value y = b[0] * x + first;
        first = b[1] * x - a[1] * y + second;
        second = b[2] * x - a[2] * y;
        x = y;
    }
}

template <typename Value>
void both_ways(const SecondOrder& filter, std::vector<Value>& values) {
    const int n = int(values.size());
    if (n < 2) return;
    const int beyond = std::min(beyond_ends, n - 1);
    std::vector<Value> all;
    all.reserve(size_t(n) + 2 * size_t(beyond));
    for (int i = beyond; i > 0; --i) all.push_back(2.0 * values.front() - values[size_t(i)]);
    all.insert(all.end(), values.begin(), values.end());
    for (int i = 1; i <= beyond; ++i) all.push_back(2.0 * values.back() - values[size_t(n - 1 - i)]);
    for (int way = 0; way < 2; ++way) {
        run(filter, all);
        std::reverse(all.begin(), all.end());
    }
    std::copy_n(all.begin() + beyond, n, values.begin());
}

}  // namespace

SecondOrder butterworth(double corner_hz, double fps) {
    const double corner = std::clamp(corner_hz, 1e-6 * fps, highest_share * fps);
    const double w = std::tan(pi * corner / fps);
    const double norm = 1.0 / (1.0 + std::sqrt(2.0) * w + w * w);
    SecondOrder filter;
    filter.b = {w * w * norm, 2.0 * w * w * norm, w * w * norm};
    filter.a = {1.0, 2.0 * (w * w - 1.0) * norm, (1.0 - std::sqrt(2.0) * w + w * w) * norm};
    return filter;
}

double corner_for_both_ways(double cut_off_hz) {
    return raised_by * cut_off_hz;
}

void filter_both_ways(const SecondOrder& filter, std::vector<Vec3>& values) {
    both_ways(filter, values);
}

std::vector<Quat> filtered_both_ways(const SecondOrder& filter, const std::vector<Quat>& rotations) {
    std::vector<Eigen::Vector4d> values;
    values.reserve(rotations.size());
    for (const Quat& R : rotations) {
        const bool is_turned = !values.empty() && values.back().dot(R.coeffs()) < 0.0;
        values.push_back(is_turned ? Eigen::Vector4d(-R.coeffs()) : R.coeffs());
    }
    both_ways(filter, values);
    std::vector<Quat> result;
    result.reserve(rotations.size());
    for (size_t i = 0; i < values.size(); ++i)
        // Turns that cancel each other out leave nothing to point along: the own one stays.
        result.push_back(values[i].norm() < 1e-6 ? rotations[i] : Quat(values[i].normalized()));
    return result;
}

}  // namespace nb
