// Which bone plays which part of a biped, from shape and tree alone: no name is read.
//
// What is used: positions of the rest pose and the tree. Limbs are the pairs of branches that are alike in
// the lengths of their bones; of two pairs the one nearer to the root (or hanging lower) is the legs. Along a
// limb, hip, knee, ankle and shoulder, elbow, wrist are the joints whose segments stand to each other as in a
// human (thigh : shin 1.00, upper arm : forearm 1.27; Drillis & Contini, in Winter, Biomechanics and Motor
// Control of Human Movement; from memory), with the fan of the fingers as strong evidence for the wrist. The
// run between the pairs is the spine; what leaves the chest in the middle is neck and head. Ahead is where
// the feet point; left follows from up and ahead.
//
// A body whose limbs all hang the same way, square to the trunk, is a quadruped: upperarm, forearm, hand in
// front.
//
// Any unit, up axis and facing; rests may be T, A, relaxed, crouched. Bones beside the limbs (roll bones
// along them, ends, helpers) are told by their place.
#pragma once
#include "core/body/roles.hpp"

namespace nb {

/// Roles of the tree below `root`. Empty fills when no two pairs of limbs are found. Confidence counts how
/// clearly the best reading stands before the next; sides are unsure when nothing says where ahead is.
RoleMap propose_roles_by_shape(const Skeleton& skeleton, int root);

/// The same for the tree in which most roles are found.
RoleMap propose_roles_by_shape(const Skeleton& skeleton);

/// Joints that lie along a bone without carrying it on: twist and roll bones, and leaves of no length.
std::vector<char> find_side_bones(const Skeleton& skeleton);

}  // namespace nb
