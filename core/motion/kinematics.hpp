// Forward kinematics: where the joints of a take stand in the world.
#pragma once
#include "core/motion/take.hpp"

namespace nb {

/// World frames of all joints over all frames, frame-major.
struct WorldMotion {
    int frames = 0;
    int joints = 0;
    double start_s = 0.0, frame_time_s = 1.0 / 60.0;  ///< on the clock of the take's file
    std::vector<Quat> R;
    std::vector<Vec3> p;

    double time_s(int frame) const { return start_s + frame * frame_time_s; }
    void resize(int frame_count, int joint_count);
    size_t at(int frame, int joint) const { return size_t(frame) * size_t(joints) + size_t(joint); }
};

/// World pose of one frame. `R` and `p` have room for one entry a joint. Does not allocate.
void forward_kinematics(const Skeleton& skeleton, const Take& take, int frame, std::span<Quat> R,
                        std::span<Vec3> p);
Pose pose_at(const Skeleton& skeleton, const Take& take, int frame);
/// The first frame of the take's file, whatever was trimmed.
Pose start_pose(const Skeleton& skeleton, const Take& take);
/// World pose of all frames, in parallel on at most `threads` threads (0: as many as there are cores).
WorldMotion forward_kinematics(const Skeleton& skeleton, const Take& take, int threads = 0);

/// The frame of a world motion as a pose.
Pose pose_of(const WorldMotion& motion, int frame);

/// World frame of a joint at a time between frames; before the first and after the last as there.
Rigid joint_at(const WorldMotion& motion, int joint, double t_s);
/// All of them.
Pose pose_between(const WorldMotion& motion, double t_s);

}  // namespace nb
