// Which bone plays which part: roles proposed from names, shape, tree, skin and motion.
#pragma once
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "core/body/motion_evidence.hpp"
#include "core/body/roles.hpp"
#include "core/body/skin.hpp"

namespace nb {

/// What is said before roles are proposed.
struct RoleRequest {
    bool ignore_names = false;      ///< shape and tree alone
    std::string plan{};             ///< a body plan; empty: as the shape says
    std::vector<JointSkin> skin{};  ///< a joint; empty: there is no mesh
    /// Role and joint as a person gave them: they stand, and the rest is found so that it fits them.
    std::map<std::string, int> given{};
    bool is_confidence_plain = false;   ///< the share of the readings itself, for fitting (confidence.hpp)
    std::vector<JointMotion> motion{};  ///< a joint, of a take on the same skeleton; empty: there is none
    int tree = -1;  ///< the root joint of the body; -1: the tree in which most roles are found
};

/// Fills a body plan from names, shape and tree together (core/body/reading.hpp); any unit, up axis and
/// facing. With several trees the one in which most roles are found is taken; the rest are named in the
/// notes.
RoleMap propose_roles(const Skeleton& skeleton, const RoleRequest& request = {});

/// The roles anew from what a person gave (fills by hand, and `request.given`): those stand, everything else
/// is found so that it fits them. A limb whose given bone no reading has is taken along that bone. The plan
/// stays when `request.plan` is empty.
RoleMap propose_again(const Skeleton& skeleton, const RoleMap& roles, RoleRequest request);

/// Gives bones to roles by hand (role, joint), and lets follow what hangs on it: the rest of a limb one of
/// whose bones was given, and every role that has no bone or an unsure one, are found again so that they fit
/// all that was given. Only on the sides that were given unless `with_mirror`. When no reading of the body
/// has what was given, its limb goes along the given bone and nothing else follows.
RoleMap give_and_follow(const Skeleton& skeleton, RoleMap roles, RoleRequest request,
                        const std::vector<std::pair<std::string, int>>& given, bool with_mirror);

/// Roles of a whole chain ("arm.left", "spine", "index.right", the plan's own) through one of its bones:
/// along the way from where the chain starts, and on to its end. Empty when the bone does not hang there.
std::vector<std::pair<std::string, int>> roles_of_chain(const Skeleton& skeleton, const RoleMap& roles,
                                                        const std::string& chain, int joint);

}  // namespace nb
