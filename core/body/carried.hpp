// The tree by which a body is carried, where it is not the file's own.
//
// In most rigs every part hangs on the part before it. Where a limb hangs beside the hips (thighs on a root
// on the floor), or a hand's bones hang on an animator's goal, they are carried as if they hung on the limb's
// end: their place and turn relative to it stay as at rest. The file's tree is never changed; the bones that
// are carried so get their own places as keys.
#pragma once
#include <vector>

#include "core/body/roles.hpp"

namespace nb {

/// Joint and the joint it is carried by instead of its parent. Only where the carrier comes before it in the
/// order of joints (`order_for_carrying`).
struct Carried {
    int joint = -1, by = -1;
};
std::vector<Carried> find_carried(const Skeleton& skeleton, const RoleMap& roles);

/// The same joints in the same order and rest pose; those carried elsewhere hang there.
Skeleton carried_skeleton(const Skeleton& skeleton, const RoleMap& roles);

/// By joint whether it is a thing the body has (a prop, by its roles), or hangs on one: carried, but no part of the body.
std::vector<char> thing_joints(const Skeleton& carried, const RoleMap& roles);

/// The joint that moves the whole body: hips in most rigs; where the spine or the thighs do not hang on the
/// hips, the first bone that they and the hips hang on (of the carried tree). -1 without hips.
int body_top(const Skeleton& carried, const RoleMap& roles);

/// An order of the joints, parents first, in which every carrier comes before what it carries; empty when the
/// order is so already or cannot be (a carrier below what it should carry).
std::vector<int> order_for_carrying(const Skeleton& skeleton, const RoleMap& roles);

}  // namespace nb
