// Which bone of a skeleton plays which part of the body: proposed with evidence, never silently wrong.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/body/plan.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

struct RoleFill {
    std::string role;
    int joint = -1;
    double confidence = 0.0;            ///< 0..1; below `unsure_below` it is marked
    std::vector<std::string> evidence;  ///< sentences: name, position along the limb, length, mirror
    bool is_by_hand = false;

    bool operator==(const RoleFill&) const = default;
};

struct Unassigned {
    int joint = -1;
    std::string reason;  ///< "end", "twist", "control", "prop", "helper", "no part of the body plan"
};

struct RoleMap {
    /// "biped", or "quadruped": a body on four legs, found by its shape or told by hand, whose own rest is
    /// its stance. Its legs carry the same role names (upperarm, forearm, hand in front; thigh, shin, foot
    /// behind).
    std::string plan = "biped";
    std::vector<RoleFill> fills;
    std::vector<std::string> missing;  ///< needed roles without a bone
    std::vector<Unassigned> unassigned;
    std::vector<std::string> notes;  ///< further trees that were found, sides that look crossed

    /// The same roles on the same bones.
    bool operator==(const RoleMap& other) const { return plan == other.plan && fills == other.fills; }
    int joint(std::string_view role) const;  ///< -1 when the role is not filled
    const RoleFill* fill(std::string_view role) const;
    std::string role_of(int joint) const;     ///< empty when the joint has none
    std::vector<std::string> unsure() const;  ///< needed roles filled with less confidence than the bound
    /// The filled role nearest toward the body: hips for the first of spine and legs. Empty for hips.
    std::string parent_role(std::string_view role) const;
    /// Joints of a chain in order, filled roles only.
    std::vector<int> chain(const ChainPlan& of) const;
};

/// Fills the biped plan from names, order along the limbs and lengths; any unit and up axis. With several
/// trees the one in which most roles are found is taken; the rest are named in the notes.
RoleMap propose_roles(const Skeleton& skeleton);

/// Recomputes `missing` and `unassigned` after fills were changed.
void update_role_lists(const Skeleton& skeleton, RoleMap& roles);

}  // namespace nb
