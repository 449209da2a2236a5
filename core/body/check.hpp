// The check of a characterization, at rest: what is missing or odd, worst first.
#pragma once
#include <string>
#include <vector>

#include "core/body/roles.hpp"

namespace nb {

struct CheckEntry {
    std::string
        kind;  ///< "missing", "order", "sides", "lengths", "proportions", "straightness", "unsure", "count"
    std::string what;                ///< one sentence
    std::vector<int> joints;         ///< concerned
    std::vector<std::string> roles;  ///< concerned
    double weight = 0.0;             ///< how bad, for the order; 10 a role that is missing
};

/// Order along limbs, sides that cross, lengths unlike left and right (by more than 12 %), shares of stature
/// outside 0.6 to 1.6 times the human's where the plan is human, folded trunk or limbs, counts the plan calls
/// unusual, roles that are unsure. `skeleton` in the world: +Y up, the body's left +X. Empty: it passes.
std::vector<CheckEntry> check_roles(const Skeleton& skeleton, const RoleMap& roles);

}  // namespace nb
