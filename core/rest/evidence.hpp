// Evidence of how a bone is turned about its own length, in the bone's own frame. Internal to core/rest.
#pragma once
#include <optional>
#include <vector>

#include "core/rest/alignment.hpp"
#include "core/rig/rig.hpp"

namespace nb {

struct LimbJoints {
    std::string name;  ///< "arm.left" ...
    int upper, lower, tip;
    /// The joints that have the whole roll of the two bones: a twist bone in the limb, else the same.
    int upper_roll = upper, lower_roll = lower;
};
/// Arms and legs of which all three joints are there.
std::vector<LimbJoints> limbs_of(const Skeleton& skeleton, const RoleMap& roles);

/// An axis seen from a joint, with how steady it is: length of the mean over mean length, 0..1.
struct AxisEvidence {
    Vec3 n_J = Vec3::Zero();
    double steadiness = 0.0;
};

/// Axis about which a limb bends, seen from the upper and from the lower bone, over the frames of a take that
/// bend it by 15 degrees and more, weighted by the sine of the bend. Empty when too few do. The axis goes
/// with the roll that twist bones in the limb carry, and is told as seen from the limb's bones at the stored
/// rest.
struct BendEvidence {
    AxisEvidence upper, lower;
};
std::optional<BendEvidence> bend_in_take(const Skeleton& skeleton, const Take& take, const LimbJoints& limb);

/// Axis from one bone's direction to the next one's in a pose, in world axes, when it bends by `least_rad`
/// and more.
std::optional<Vec3> bend_in_pose(const Vec3& upper, const Vec3& lower, double least_rad);

/// The joint that carries most of a vertex; -1: none.
int carries_most(const Mesh& mesh, size_t vertex);

/// Vertices of the rig's meshes in a pose, by the joint that carries most of each; world, m.
struct MeshPoints {
    std::vector<std::vector<Vec3>> of_joint;
    /// Those of a joint and of all below it.
    std::vector<Vec3> below(const Skeleton& skeleton, int joint) const;
};
MeshPoints mesh_points(const Rig& rig, const Pose& pose);

/// Normal of the plane in which points lie flat: thinner than half of the next extent. World axes of the
/// points, sign free.
std::optional<Vec3> flat_normal(const std::vector<Vec3>& points);

/// Up of the plane a foot stands on: fitted to the points near its underside as seen along `up`, so heels
/// count and what lies above does not. Empty with too few points, or when the plane tilts more than 35
/// degrees from `up`.
std::optional<Vec3> sole_normal(const std::vector<Vec3>& points, const Vec3& up);

}  // namespace nb
