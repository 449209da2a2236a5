// Names of a body's bones in open standards, to and from roles.
//
//   VRM 1.0   glTF extension VRMC_vrm, humanoid.humanBones ("leftUpperArm"): hips, up to three spine bones
//             (spine, chest, upperChest), neck, head, limbs, three bones a finger, eyes, jaw.
//   ISO/IEC 19774-1  humanoid animation, joint names ("l_shoulder"), version 1 for the limbs and fingers,
//             vertebrae vl5 ... vc1 for the spine (from memory).
#pragma once
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/body/roles.hpp"

namespace nb {

/// Bone name of VRM 1.0 and the joint that plays it, in the standard's order. Of more than three spine bones
/// the first, the last but one and the last are taken; of several neck bones the first.
std::vector<std::pair<std::string, int>> vrm_bones(const RoleMap& roles);
/// Bones VRM 1.0 requires that the roles do not have.
std::vector<std::string> missing_vrm_bones(const RoleMap& roles);
/// Roles of a VRM 1.0 mapping; spine and neck joints in between get their numbers. Names that are not known
/// are left out.
std::vector<std::pair<std::string, int>> roles_of_vrm(const Skeleton& skeleton,
                                                      const std::vector<std::pair<std::string, int>>& bones);

/// A joint and its ISO/IEC 19774-1 name, for each role that has one; no name twice.
std::vector<std::pair<int, std::string>> iso_names(const RoleMap& roles);

}  // namespace nb
