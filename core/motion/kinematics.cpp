#include "core/motion/kinematics.hpp"

#include "core/base/parallel.hpp"

namespace nb {

void WorldMotion::resize(int frame_count, int joint_count) {
    frames = frame_count;
    joints = joint_count;
    R.resize(size_t(frames) * size_t(joints));
    p.resize(size_t(frames) * size_t(joints));
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

Pose start_pose(const Skeleton& skeleton, const Take& take) {
    if (take.start_R.empty()) return pose_at(skeleton, take, 0);
    Take start;
    start.frames = 1;
    start.joints = take.joints;
    start.translated = take.translated;
    start.R = take.start_R;
    start.p = take.start_p;
    return pose_at(skeleton, start, 0);
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
    world.start_s = take.start_s;
    world.frame_time_s = take.frame_time_s;
    for_each_frame(take.frames, threads, [&](int first, int last) {
        for (int f = first; f < last; ++f)
            forward_kinematics(skeleton, take, f, {&world.R[world.at(f, 0)], size_t(take.joints)},
                               {&world.p[world.at(f, 0)], size_t(take.joints)});
    });
    return world;
}

Pose pose_of(const WorldMotion& motion, int frame) {
    const auto first = std::ptrdiff_t(motion.at(frame, 0));
    const auto last = first + motion.joints;
    return {{motion.R.begin() + first, motion.R.begin() + last},
            {motion.p.begin() + first, motion.p.begin() + last}};
}

namespace {

/// Frames about a time, and how far it is between them.
struct Between {
    int a = 0, b = 0;
    double u = 0.0;
};

Between frames_about(const WorldMotion& motion, double t_s) {
    const double f =
        std::clamp((t_s - motion.start_s) / motion.frame_time_s, 0.0, double(std::max(0, motion.frames - 1)));
    const int a = int(std::floor(f + 1e-6));
    const double u = f - a;
    return u < 1e-6 ? Between{a, a, 0.0} : Between{a, std::min(a + 1, motion.frames - 1), u};
}

Rigid joint_between(const WorldMotion& motion, int joint, const Between& at) {
    const size_t a = motion.at(at.a, joint), b = motion.at(at.b, joint);
    if (at.u <= 0.0) return {motion.R[a], motion.p[a]};
    return {interpolate(motion.R[a], motion.R[b], at.u), motion.p[a] + at.u * (motion.p[b] - motion.p[a])};
}

}  // namespace

Rigid joint_at(const WorldMotion& motion, int joint, double t_s) {
    return joint_between(motion, joint, frames_about(motion, t_s));
}

Pose pose_between(const WorldMotion& motion, double t_s) {
    Pose pose;
    const Between at = frames_about(motion, t_s);
    for (int j = 0; j < motion.joints; ++j) {
        const Rigid X = joint_between(motion, j, at);
        pose.R.push_back(X.R);
        pose.p.push_back(X.p);
    }
    return pose;
}

}  // namespace nb
