// Rests that are taken as they are: of the file, of a pose, on paws.
#include <algorithm>

#include "core/body/carried.hpp"
#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rest/solve.hpp"

namespace nb {

namespace {

/// World turn about the vertical that makes a body face +Z by its thigh joints: what leans goes on leaning.
Quat heading_turn(const RoleMap& roles, const Pose& pose) {
    Vec3 left = body_left(roles, pose);
    left.y() = 0.0;
    return left.norm() < 1e-9 ? Quat::Identity() : shortest_arc(left, Vec3::UnitX(), Vec3::UnitY());
}

}  // namespace

RestAlignment rest_on_paws(const Rig& rig, const RoleMap& roles) {
    const Skeleton& skeleton = rig.skeleton;
    RestAlignment rest;
    rest.name = "own";
    rest.stance.kind = Stance::Kind::own;
    rest.reference = "rest pose";
    rest.D_W.assign(skeleton.names.size(), Quat::Identity());
    for (const auto* limb : {"arm.left", "arm.right", "leg.left", "leg.right"})
        rest.hinges[limb] = {Vec3::UnitX(), HingeSource::assumed};
    for (const RoleFill& fill : roles.fills) rest.found[fill.role] = {RollSource::own, 1.0};
    apply_alignment(skeleton, roles, rest);
    double lowest = 1e30;
    for (const Vec3& p : rest.p_WJ0) lowest = std::min(lowest, p.y());
    for (const EndSite& site : skeleton.end_sites)
        lowest = std::min(
            lowest, (rest.p_WJ0[size_t(site.joint)] + rest.R_WJ0[size_t(site.joint)] * site.offset_m).y());
    rest.ankle_height_m = -lowest;
    rest.ankle_reason = "the rest pose stands on its paws";
    apply_alignment(skeleton, roles, rest);
    return rest;
}

RestAlignment stored_rest(const Rig& rig, const RoleMap& roles, const RestAlignment& solved) {
    RestAlignment rest = rest_of_pose(rig, roles, rest_pose(rig.skeleton), solved);
    rest.name = "as in the file";
    return rest;
}

RestAlignment rest_of_pose(const Rig& rig, const RoleMap& roles, const Pose& pose,
                           const RestAlignment& solved) {
    RestAlignment rest = solved;
    rest.stance.kind = Stance::Kind::own;
    const Quat turn = roles.is_four_legged() ? Quat::Identity() : heading_turn(roles, pose);
    const Pose stored = rest_pose(rig.skeleton);
    const Skeleton skeleton = carried_skeleton(rig.skeleton, roles);
    const int top = body_top(skeleton, roles);
    for (int joint = 0; joint < rig.skeleton.size(); ++joint) {
        const size_t j = size_t(joint);
        if (!skeleton.is_ancestor(top, joint)) continue;
        const Quat before = rest.D_W[j];
        rest.D_W[j] = (turn * pose.R[j] * stored.R[j].conjugate()).normalized();
        for (auto& [limb, hinge] : rest.hinges) {
            const std::string side(side_suffix(role_side(limb)));
            if (joint == roles.joint((limb.starts_with("leg") ? "shin" : "upperarm") + side))
                hinge.n_W = rest.D_W[j] * before.conjugate() * hinge.n_W;
        }
    }
    apply_alignment(rig.skeleton, roles, rest);
    return rest;
}

}  // namespace nb
