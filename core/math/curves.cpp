#include "core/math/curves.hpp"

#include <algorithm>
#include <cmath>
#include <deque>

#include "core/math/hermite.hpp"

namespace nb {

namespace {

Vec3 limited(const Vec3& slope, double most) {
    const double size = slope.norm();
    return size > most ? Vec3(slope * (most / size)) : slope;
}

}  // namespace

void fill_between(std::vector<Vec3>& values, const std::vector<char>& is_given, int ease, double most_slope,
                  int slope_frames) {
    const int frames = int(values.size());
    ease = std::max(1, ease);
    const auto given = [&](int f) { return f >= 0 && f < frames && is_given[size_t(f)]; };
    // A frame's slope at the given frame `at`, over up to `slope_frames` frames on its given side.
    const auto slope = [&](int at, int toward) {
        int n = 0;
        while (n < slope_frames && given(at + (n + 1) * toward)) ++n;
        if (n == 0 || !given(at)) return Vec3(Vec3::Zero());
        const Vec3 rise = toward * (values[size_t(at) + size_t(n) * size_t(toward)] - values[size_t(at)]);
        return limited(rise / n, most_slope);
    };
    int f = 0;
    while (f < frames) {
        if (given(f)) {
            ++f;
            continue;
        }
        int end = f;
        while (end < frames && !given(end)) ++end;
        const bool has_before = f > 0;
        const bool has_after = end < frames;
        const Vec3 zero = Vec3::Zero();
        const Vec3 a = has_before ? values[size_t(f - 1)] : zero;
        const Vec3 b = has_after ? values[size_t(end)] : zero;
        const Vec3 slope_a = slope(f - 1, -1);
        const Vec3 slope_b = slope(end, 1);
        const int steps = end - f + 1;
        for (int g = f; g < end; ++g) {
            const int from_a = g - f + 1;
            const int to_b = end - g;
            Vec3& value = values[size_t(g)];
            if (has_before && has_after && steps <= 2 * ease) {
                value = hermite(a, slope_a * steps, b, slope_b * steps, double(from_a) / steps);
                continue;
            }
            value = zero;
            if (has_before && from_a < ease)
                value += hermite(a, slope_a * ease, zero, zero, double(from_a) / ease);
            if (has_after && to_b < ease)
                value += hermite(zero, zero, b, slope_b * ease, 1.0 - double(to_b) / ease);
        }
        f = end;
    }
}

std::vector<int> frames_apart(const std::vector<char>& is_given) {
    constexpr int far = 1 << 20;
    const int frames = int(is_given.size());
    std::vector<int> apart(is_given.size(), far);
    for (const bool is_forward : {true, false}) {
        int since = far;
        for (int i = 0; i < frames; ++i) {
            const size_t f = size_t(is_forward ? i : frames - 1 - i);
            since = is_given[f] ? 0 : since + 1;
            apart[f] = std::min(apart[f], since);
        }
    }
    return apart;
}

std::vector<double> eased_weights(const std::vector<char>& is_given, int ease) {
    std::vector<double> weights;
    weights.reserve(is_given.size());
    for (const int apart : frames_apart(is_given)) {
        const double u = 1.0 - double(std::min(ease, apart)) / std::max(1, ease);
        weights.push_back(smooth_step(u));
    }
    return weights;
}

namespace {

/// Mean over +-reach frames, fewer at the ends.
template <typename T>
std::vector<T> running_mean(const std::vector<T>& values, int reach, const T& zero) {
    const int count = int(values.size());
    std::vector<T> sums(values.size() + 1, zero);
    for (size_t i = 0; i < values.size(); ++i) sums[i + 1] = sums[i] + values[i];
    std::vector<T> result(values.size(), zero);
    for (int i = 0; i < count; ++i) {
        const int near = std::min({reach, i, count - 1 - i});  // symmetric, so that a line stays a line
        result[size_t(i)] =
            (sums[size_t(i) + size_t(near) + 1] - sums[size_t(i) - size_t(near)]) / double(2 * near + 1);
    }
    return result;
}

}  // namespace

std::vector<double> largest_within(const std::vector<double>& values, int reach) {
    std::vector<double> largest(values.size());
    std::deque<size_t> falling;  // those that may still be the largest, the largest first
    size_t next = 0;
    for (size_t i = 0; i < values.size(); ++i) {
        for (; next < values.size() && next <= i + size_t(reach); ++next) {
            while (!falling.empty() && values[falling.back()] <= values[next]) falling.pop_back();
            falling.push_back(next);
        }
        while (falling.front() + size_t(reach) < i) falling.pop_front();
        largest[i] = values[falling.front()];
    }
    return largest;
}

std::vector<double> lowest_within(std::vector<double> values, int reach) {
    for (double& value : values) value = -value;
    values = largest_within(values, reach);
    for (double& value : values) value = -value;
    return values;
}

std::vector<double> smooth_cover(const std::vector<double>& values, int reach) {
    return running_mean(running_mean(largest_within(values, 2 * reach), reach, 0.0), reach, 0.0);
}

std::vector<Vec3> fast_part(const std::vector<Vec3>& values, const std::vector<int>& run_of, int reach) {
    const Vec3 zero = Vec3::Zero();
    std::vector<Vec3> result(values.size(), zero);
    std::vector<Vec3> run;
    for (size_t f = 0; f < values.size();) {
        if (run_of[f] < 0) {
            ++f;
            continue;
        }
        size_t end = f;
        while (end < values.size() && run_of[end] == run_of[f]) ++end;
        run.assign(values.begin() + std::ptrdiff_t(f), values.begin() + std::ptrdiff_t(end));
        run = running_mean(running_mean(run, reach, zero), reach, zero);
        for (size_t at = f; at < end; ++at) result[at] = values[at] - run[at - f];
        f = end;
    }
    return result;
}

}  // namespace nb
