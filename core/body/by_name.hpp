// Roles by names and the order along the limbs, for bodies in which the shape shows no two pairs of limbs:
// half bodies, bodies with one arm, rigs whose limbs hang on no common joint. Internal to core/body.
#pragma once
#include "core/body/names.hpp"
#include "core/body/propose.hpp"

namespace nb {

/// Of the tree below `root`. Empty when names say nothing of hips or limbs.
RoleMap propose_roles_by_name(const Skeleton& skeleton, const NameTable& names, int root);

/// Eyes and jaw below the head, which have nothing but their names.
void read_face(const Skeleton& skeleton, const NameTable& names, RoleMap& map);

}  // namespace nb
