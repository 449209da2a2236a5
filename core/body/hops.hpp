// Feet that hop: a fault of a recording.
#pragma once
#include <vector>

#include "core/body/roles.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

/// A foot that leaves its place while it stands and comes back at once: moved over `1 %` of leg length and
/// back within 0.15 s, slow before and after. Thresholds are this program's own.
struct Hop {
    int frame = 0;            ///< the farthest
    int first = 0, last = 0;  ///< still in its place, back there
    bool is_left = true;
    double distance_m = 0.0;
};
std::vector<Hop> find_foot_hops(const Skeleton& skeleton, const RoleMap& roles, const Take& take);
std::vector<Hop> find_foot_hops(const Skeleton& skeleton, const RoleMap& roles, const WorldMotion& motion,
                                double frame_time_s, int first_frame);

}  // namespace nb
