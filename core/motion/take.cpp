#include "core/motion/take.hpp"

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <cmath>

namespace nb {

double Take::nominal_fps() const {
    const size_t point = frame_time_text.find('.');
    const size_t end = frame_time_text.find_last_of("0123456789");
    if (point == std::string::npos || end < point || frame_time_text.find_first_of("eE") != std::string::npos)
        return fps();
    const double last_digit = std::pow(10.0, -double(end - point));
    const double whole = std::round(fps());
    return whole > 0.0 && std::abs(1.0 / whole - frame_time_s) <= last_digit ? whole : fps();
}

void WorldMotion::resize(int frame_count, int joint_count) {
    frames = frame_count;
    joints = joint_count;
    R.resize(size_t(frames) * size_t(joints));
    p.resize(size_t(frames) * size_t(joints));
}

void for_each_frame(int count, int threads, const std::function<void(int, int)>& body_of_range) {
    if (threads == 1) return body_of_range(0, count);
    const int most = tbb::this_task_arena::max_concurrency();
    tbb::task_arena arena(threads > 0 ? std::min(threads, most) : tbb::task_arena::automatic);
    arena.execute([&] {
        tbb::parallel_for(tbb::blocked_range<int>(0, count, 32), [&](const tbb::blocked_range<int>& range) {
            body_of_range(range.begin(), range.end());
        });
    });
}

void forward_kinematics(const Skeleton& skeleton, const Take& take, int frame, std::span<Quat> R,
                        std::span<Vec3> p) {
    const auto local_R = take.rotations(frame);
    const auto local_p = take.translations(frame);
    size_t next_translated = 0;
    for (size_t j = 0; j < local_R.size(); ++j) {
        const bool has_translation =
            next_translated < take.translated.size() && size_t(take.translated[next_translated]) == j;
        const Vec3& offset = has_translation ? local_p[next_translated++] : skeleton.rest_p[j];
        const int parent = skeleton.parents[j];
        if (parent < 0) {
            R[j] = local_R[j];
            p[j] = offset;
        } else {
            R[j] = (R[size_t(parent)] * local_R[j]).normalized();
            p[j] = p[size_t(parent)] + R[size_t(parent)] * offset;
        }
    }
}

Pose pose_at(const Skeleton& skeleton, const Take& take, int frame) {
    Pose pose;
    pose.R.resize(skeleton.names.size());
    pose.p.resize(skeleton.names.size());
    forward_kinematics(skeleton, take, frame, pose.R, pose.p);
    return pose;
}

WorldMotion forward_kinematics(const Skeleton& skeleton, const Take& take, int threads) {
    WorldMotion world;
    world.resize(take.frames, take.joints);
    for_each_frame(take.frames, threads, [&](int first, int last) {
        for (int f = first; f < last; ++f)
            forward_kinematics(skeleton, take, f, {&world.R[world.at(f, 0)], size_t(take.joints)},
                               {&world.p[world.at(f, 0)], size_t(take.joints)});
    });
    return world;
}

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
    result.R.resize(size_t(result.frames) * joints);
    result.p.resize(size_t(result.frames) * moving);
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
            result.R[size_t(f) * joints + j] =
                u <= 0.0 ? a : interpolate(a, take.R[size_t(after) * joints + j], u);
        }
        for (size_t m = 0; m < moving; ++m) {
            const Vec3& a = take.p[size_t(before) * moving + m];
            result.p[size_t(f) * moving + m] = a + u * (take.p[size_t(after) * moving + m] - a);
        }
    }
    return result;
}

Take trim(const Take& take, int first, int last) {
    first = std::clamp(first, 0, take.frames);
    last = std::clamp(last, first, take.frames);
    Take result = take;
    result.frames = last - first;
    const auto cut = [&](auto& values, size_t stride) {
        values.erase(values.begin() + std::ptrdiff_t(size_t(last) * stride), values.end());
        values.erase(values.begin(), values.begin() + std::ptrdiff_t(size_t(first) * stride));
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

}  // namespace nb
