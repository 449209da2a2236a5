#include "core/motion/edit.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace nb {

Take resample(const Take& take, double fps) {
    Take result = take;
    result.frame_time_s = 1.0 / fps;
    result.frame_time_text = fmt::format("{:.7f}", result.frame_time_s);
    if (take.frames < 1) return result;
    // Frame times are written with few digits: the rate that is meant makes frames meet.
    const double source_frames = take.nominal_fps() / fps;
    result.frames = static_cast<int>(std::floor((take.frames - 1) / source_frames + 1e-9)) + 1;
    const size_t joints = size_t(take.joints);
    const size_t moving = take.translated.size();
    std::vector<Quat> R(size_t(result.frames) * joints);
    std::vector<Vec3> p(size_t(result.frames) * moving);
    for (Contact& contact : result.contacts.list) {
        contact.first = int(std::lround(contact.first / source_frames));
        contact.last = int(std::lround(contact.last / source_frames));
    }
    tidy_contacts(result.contacts, result.frames);
    for (int f = 0; f < result.frames; ++f) {
        double at = f * source_frames;
        if (std::abs(at - std::round(at)) < 1e-9) at = std::round(at);
        const int before = std::clamp(static_cast<int>(std::floor(at)), 0, take.frames - 1);
        const int after = std::min(before + 1, take.frames - 1);
        const double u = at - before;
        for (size_t j = 0; j < joints; ++j) {
            const Quat& a = take.R[size_t(before) * joints + j];
            R[size_t(f) * joints + j] = u <= 0.0 ? a : interpolate(a, take.R[size_t(after) * joints + j], u);
        }
        for (size_t m = 0; m < moving; ++m) {
            const Vec3& a = take.p[size_t(before) * moving + m];
            p[size_t(f) * moving + m] = a + u * (take.p[size_t(after) * moving + m] - a);
        }
    }
    result.R = std::move(R);
    result.p = std::move(p);
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
