// Smoothness of a transfer: pops, angular speed and acceleration of a role's bone beside the source's own.
#pragma once
#include <string>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/motion/take.hpp"

namespace nb {

/// A change of angular velocity from one frame to the next that the source does not make.
struct Pop {
    std::string role;
    int frame = 0;
    double change_deg_s = 0.0;
};

struct RoleSmoothness {
    std::string role;
    double source_acceleration_rad_s2 = 0.0;  ///< 99th percentile
    double target_acceleration_rad_s2 = 0.0;
    double source_speed_deg_s = 0.0;  ///< 95th percentile
    double target_speed_deg_s = 0.0;
    std::vector<Pop> pops;
    /// A frame: by how many times the acceleration, root mean square over +-0.1 s, is above the source's (no less than 50
    /// rad/s^2), less 1; 0 where it is not. Empty where it never is.
    std::vector<float> jitter_by_frame;
    /// Target by max(source, 50 rad/s^2).
    double jitter() const;
};

/// With w(t) = log(R(t+1) R(t)^T) / dt of a bone's world rotation: speed |w|, change |w(t) - w(t-1)|,
/// acceleration = change / dt. A pop is a change above 200 deg/s and above 6 x the median of the changes
/// within +-0.25 s, where the source within +-1 frame makes neither such a change nor one half as large.
/// Breaks of the source (its own such changes, +-2 frames) and what lies before `first_frame` + 1 are left
/// out of the percentiles. Above 120 frames/s the step is that of 1/120 s, in frames: the same motion has the same pops at any
/// rate. `source_joints`: the role's own, or where a chain has another count of bones all
/// of the source's chain and its parent; of several the largest value counts.
RoleSmoothness smoothness(const std::string& role, const WorldMotion& source,
                          const std::vector<int>& source_joints, const WorldMotion& target, int target_joint,
                          double frame_time_s, int first_frame);

}  // namespace nb
