// One characterization for another rig: by its bones' names, exact or in part, the rest by evidence.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/body/roles.hpp"

namespace nb {

/// A characterization without its rig: which bone plays which role.
struct KnownRoles {
    std::string name;  ///< whose it is
    std::string plan = "biped";
    std::map<std::string, std::string> bones;  ///< role: bone
    std::vector<std::string> by_hand;          ///< roles given by hand there
};

struct Reuse {
    RoleMap roles;
    int exact = 0;                         ///< bones found by their very name
    int alike = 0;                         ///< by the words, side and number of their name
    int proposed = 0;                      ///< roles filled by evidence instead
    std::vector<std::string> differences;  ///< one sentence each
    bool is_exact = false;                 ///< every bone found by its very name, in the same order
};

/// Bones are sought by their very name, then by the words, side and number in it (another name space, another
/// separator); what is not found, or does not hang where it did, is proposed from the rig itself.
Reuse reuse_roles(const KnownRoles& known, const Skeleton& skeleton);

/// Share of the known bones that are in the rig by their very name, 0..1: for choosing whose roles fit.
double share_of_bones(const KnownRoles& known, const Skeleton& skeleton);

}  // namespace nb
