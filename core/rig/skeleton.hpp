// The skeleton of a rig: joints in order (parents first), with the rest pose they stand in.
#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// The tip of a bone that has no joint at its end. `offset_m` is seen from the joint.
struct EndSite {
    int joint = -1;
    Vec3 offset_m = Vec3::Zero();
};

/// Joints with parents before children. All arrays have one entry a joint; metres, +Y up.
struct Skeleton {
    std::vector<std::string> names;
    std::vector<int> parents;  ///< -1 for a root
    std::vector<Quat> rest_R;  ///< R_PJ of the rest pose
    std::vector<Vec3> rest_p;  ///< p_PJ of the rest pose, m
    std::vector<Quat> bind_R;  ///< R_PJ of the pose the skin was attached in; empty when the file has none
    std::vector<EndSite> end_sites;

    int size() const { return static_cast<int>(names.size()); }
    /// Index of the first joint of that name, -1 when there is none.
    int find(std::string_view name) const;
    std::vector<std::vector<int>> children() const;
    bool is_ancestor(int ancestor, int joint) const;
    /// Joints from (not including) `ancestor` down to (including) `joint`. Empty when not related.
    std::vector<int> path(int ancestor, int joint) const;
    /// Deepest joint that is an ancestor of, or equal to, both; -1 when they are in different trees.
    int common_ancestor(int a, int b) const;
    /// Sum of the rest offsets from `ancestor` down to `joint`, m.
    double path_length(int ancestor, int joint) const;
    /// Tree, names and rest as a hash of 16 hexadecimal digits; offsets are rounded to 0.01 mm.
    std::string signature() const;
};

/// World frames of all joints at one time: R_WJ and p_WJ (m).
struct Pose {
    std::vector<Quat> R;
    std::vector<Vec3> p;
};

/// The rest pose in the world.
Pose rest_pose(const Skeleton& skeleton);
/// The bind pose in the world, with the rest's offsets. Needs `bind_R`.
Pose bind_pose(const Skeleton& skeleton);

}  // namespace nb
