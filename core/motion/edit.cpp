#include "core/motion/edit.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/math/hermite.hpp"
#include "core/motion/sample.hpp"

namespace nb {

namespace {

constexpr double steepest_step = 1.5;

/// The slope at a frame, of the steps before and after it: their mean, no longer than either allows.
Vec3 slope(const Vec3& before, const Vec3& after) {
    Vec3 mean = 0.5 * (before + after);
    const double most = steepest_step * std::min(before.norm(), after.norm());
    const double size = mean.norm();
    if (size > most) mean *= most / size;
    return mean;
}

/// Four values around a step a -> b; where there is none beyond, the end itself stands for it and the step goes on.
template <typename T>
struct Around {
    const T &before, &a, &b, &after;
    Vec3 slope_at_a(const Vec3& before_a, const Vec3& step) const {
        return &before == &a ? step : slope(before_a, step);
    }
    Vec3 slope_at_b(const Vec3& step, const Vec3& after_b) const {
        return &after == &b ? step : slope(step, after_b);
    }
};

Vec3 between(const Around<Vec3>& v, double u) {
    const Vec3 slope_a = v.slope_at_a(v.a - v.before, v.b - v.a);
    const Vec3 slope_b = v.slope_at_b(v.b - v.a, v.after - v.b);
    return hermite(v.a, slope_a, v.b, slope_b, u);
}

Quat between(const Around<Quat>& q, double u) {
    const Vec3 step = log_rotation(q.a.conjugate() * q.b);
    const Vec3 slope_a = q.slope_at_a(log_rotation(q.before.conjugate() * q.a), step);
    const Vec3 slope_b = q.slope_at_b(step, log_rotation(q.b.conjugate() * q.after));
    const Quat from = q.a * exp_rotation(slope_a / 3.0);
    const Quat to = q.b * exp_rotation(-slope_b / 3.0);
    const Quat x = interpolate(q.a, from, u);
    const Quat y = interpolate(from, to, u);
    const Quat z = interpolate(to, q.b, u);
    return interpolate(interpolate(x, y, u), interpolate(y, z, u), u);
}

}  // namespace

Take sampled(const Take& take, const std::vector<double>& at_frames) {
    Take result = take;
    result.frames = int(at_frames.size());
    const size_t joints = size_t(take.joints);
    const size_t moving = take.translated.size();
    std::vector<Quat> R(size_t(result.frames) * joints);
    std::vector<Vec3> p(size_t(result.frames) * moving);
    for (int f = 0; f < result.frames; ++f) {
        const double at = at_frames[size_t(f)];
        const int first = at > 0.0 ? take.first_motion_frame : 0;
        const int a = std::clamp(static_cast<int>(std::floor(at)), 0, take.frames - 1);
        const int b = std::min(a + 1, take.frames - 1);
        const int before = std::max(a - 1, std::min(first, a));
        const int after = std::min(b + 1, take.frames - 1);
        const double u = at - a;
        const auto blend = [&](const auto& values, size_t stride, size_t i) {
            const auto of = [&](int frame) -> const auto& {
                return values[size_t(frame) * stride + i];
            };
            return u <= 0.0
                       ? of(a)
                       : between(Around<std::decay_t<decltype(of(a))>>{of(before), of(a), of(b), of(after)},
                                 u);
        };
        for (size_t j = 0; j < joints; ++j) R[size_t(f) * joints + j] = blend(take.R, joints, j);
        for (size_t m = 0; m < moving; ++m) p[size_t(f) * moving + m] = blend(take.p, moving, m);
    }
    result.R = std::move(R);
    result.p = std::move(p);
    return result;
}

Take resample(const Take& take, double fps) {
    // Frame times are written with few digits: the rate that is meant makes frames meet.
    const double source_frames = take.nominal_fps() / fps;
    std::vector<double> at_frames;
    const int frames =
        take.frames < 1 ? 0 : static_cast<int>(std::floor((take.frames - 1) / source_frames + 1e-9)) + 1;
    for (int f = 0; f < frames; ++f) {
        double at = f * source_frames;
        if (std::abs(at - std::round(at)) < 1e-9) at = std::round(at);
        // A frame that stands apart at the beginning stays itself, and nothing is half of it.
        if (at > 0.0) at = std::max(at, double(std::min(take.first_motion_frame, take.frames - 1)));
        at_frames.push_back(at);
    }
    Take result = take.frames < 1 ? take : sampled(take, at_frames);
    result.frame_time_s = 1.0 / fps;
    result.frame_time_text = fmt::format("{:.7f}", result.frame_time_s);
    if (take.frames < 1) return result;
    for (Contact& contact : result.contacts.list) {
        contact.first = int(std::lround(contact.first / source_frames));
        contact.last = int(std::lround(contact.last / source_frames));
    }
    tidy_contacts(result.contacts, result.frames);
    return result;
}

Take trim(const Take& take, int first, int last) {
    first = std::clamp(first, 0, take.frames);
    last = std::clamp(last, first, take.frames);
    Take result = take;
    if (first > 0 && result.start_R.empty()) {
        const auto rotations = take.rotations(0);
        const auto translations = take.translations(0);
        result.start_R = std::vector<Quat>(rotations.begin(), rotations.end());
        result.start_p = std::vector<Vec3>(translations.begin(), translations.end());
    }
    result.frames = last - first;
    result.start_s += first * take.frame_time_s;
    const auto cut = [&](auto& values, size_t stride) {
        const auto begin = values.begin();
        values = std::vector(begin + std::ptrdiff_t(size_t(first) * stride),
                             begin + std::ptrdiff_t(size_t(last) * stride));
    };
    cut(result.R, size_t(take.joints));
    cut(result.p, take.translated.size());
    result.first_motion_frame = std::max(0, take.first_motion_frame - first);
    for (Contact& contact : result.contacts.list) {
        contact.first -= first;
        contact.last -= first;
    }
    tidy_contacts(result.contacts, result.frames);
    return result;
}

int find_first_motion_frame(const Take& take) {
    if (take.frames < 4) return 0;
    const auto largest_turn = [&take](int frame) {
        double largest = 0.0;
        for (int j = 0; j < take.joints; ++j)
            largest = std::max(largest, angle_between(take.rotations(frame)[size_t(j)],
                                                      take.rotations(frame + 1)[size_t(j)]));
        return largest;
    };
    const double first_step = largest_turn(0);
    if (first_step < deg_to_rad(40.0)) return 0;
    std::vector<double> following;
    for (int f = 1; f + 1 < take.frames && f < 60; ++f) following.push_back(largest_turn(f));
    std::nth_element(following.begin(), following.begin() + std::ptrdiff_t(following.size() / 2),
                     following.end());
    return first_step > 10.0 * following[following.size() / 2] ? 1 : 0;
}

int FileFrames::to_file(int frame) const {
    return first + int(std::lround(frame * rate));
}

int FileFrames::from_file(int frame) const {
    return int(std::lround((frame - first) / rate));
}

}  // namespace nb
