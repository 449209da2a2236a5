// What a take says of the bones it moves: which bend and about what, and which rest on the floor.
#pragma once
#include <vector>

#include "core/motion/take.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

/// Of one joint over a take, its turn relative to its parent.
struct JointMotion {
    double range_rad = 0.0;    ///< twice the root of the mean square angle to the mean turn
    double hinge = 0.0;        ///< 0 it turns about all axes alike, 1 about one alone
    Vec3 axis = Vec3::Zero();  ///< of the hinge, in the parent's frame; unit, or zero when nothing moves
};

/// One entry a joint, over at most 400 frames of the motion; empty when the take has fewer than ten.
/// The hinge is what the largest of the three principal shares of the rotation vectors about the mean is
/// above the other two: 1 - l2 / l1 of their covariance's eigenvalues.
std::vector<JointMotion> measure_motion(const Skeleton& skeleton, const Take& take);

}  // namespace nb
