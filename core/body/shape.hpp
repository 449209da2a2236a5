// What the shape of a skeleton says without any name.
#pragma once
#include "core/body/propose.hpp"

namespace nb {

/// Roles from shape and tree alone, of the tree below `root`, or (-1) of that in which most are found.
inline RoleMap propose_roles_by_shape(const Skeleton& skeleton, int root = -1) {
    return propose_roles(skeleton, {.ignore_names = true, .plan = {}, .skin = {}, .tree = root});
}

/// Joints that lie along a bone without carrying it on: twist and roll bones, and leaves of no length.
std::vector<char> find_side_bones(const Skeleton& skeleton);

}  // namespace nb
