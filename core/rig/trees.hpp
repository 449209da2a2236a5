// The trees of a skeleton: a file may hold several bodies, and things beside them.
#pragma once
#include <string>
#include <vector>

#include "core/rig/skeleton.hpp"

namespace nb {

/// Fewer joints than any body has that can be carried: hips, two legs, a trunk, two arms and a head.
inline constexpr int least_body_joints = 12;

int joints_of_tree(const Skeleton& skeleton, int root);
/// Roots of trees with as many joints as a body has, in the file's order.
std::vector<int> body_trees(const Skeleton& skeleton);

/// A bone of the tree in which the bone `tree` is: by its very name, else by that in the name space of `tree` ("giver:" of
/// "giver:pelvis"). Without a tree, or one that is not there: anywhere by its very name. -1 when there is none.
int find_in_tree(const Skeleton& skeleton, const std::string& tree, const std::string& bone);

}  // namespace nb
