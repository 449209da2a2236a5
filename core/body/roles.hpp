// Which bone of a skeleton plays which part of the body: proposed with evidence, never silently wrong.
#pragma once
#include <map>
#include <string>
#include <utility>
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

    bool is_unsure() const { return confidence < unsure_below && !is_by_hand; }
    bool operator==(const RoleFill&) const = default;
};

struct Unassigned {
    int joint = -1;
    std::string reason;  ///< one of "end", "twist", "control", "prop", "helper", "face", "wrapper", with more
};

/// A bone that takes a share of the turn of a limb's bone about its own length.
struct TwistBone {
    int joint = -1;
    std::string role;  ///< whose length it lies along
    double share =
        0.5;  ///< of the turn at that bone's far end, 0..1: its place along it, or its number of n + 1
};

/// A bone that belongs to a limb's end but hangs elsewhere in the tree: a hand's bone on an animator's goal.
struct FollowerBone {
    int joint = -1;
    std::string role;  ///< whose place and turn it keeps to
    bool operator==(const FollowerBone&) const = default;
};

struct RoleMap {
    /// "biped", or "quadruped": a body on four legs, found by its shape or told by hand, whose own rest is
    /// its stance. Its legs carry the same role names (upperarm, forearm, hand in front; thigh, shin, foot
    /// behind).
    std::string plan = "biped";
    bool is_settled = false;  ///< by the person: kept from accidental change
    std::vector<RoleFill> fills;
    std::vector<std::string> missing;  ///< needed roles without a bone
    std::vector<Unassigned> unassigned;
    std::vector<TwistBone> twists;
    std::vector<FollowerBone> followers;
    std::vector<std::string> notes;  ///< further trees that were found, sides that look crossed

    /// The same roles on the same bones.
    bool operator==(const RoleMap& other) const {
        return plan == other.plan && is_settled == other.is_settled && fills == other.fills;
    }
    /// Of a plan whose figure is the quadruped's.
    bool is_four_legged() const { return body_plan(plan).figure == "quadruped"; }
    /// Upright on toes, the ankle a hock.
    bool has_hock() const { return body_plan(plan).has_hock; }
    int joint(std::string_view role) const;  ///< -1 when the role is not filled
    const RoleFill* fill(std::string_view role) const;
    std::string role_of(int joint) const;     ///< empty when the joint has none
    std::vector<std::string> unsure() const;  ///< needed roles filled with less confidence than the bound
    /// The filled role nearest toward the body: hips for the first of spine and legs. Empty for hips.
    std::string parent_role(std::string_view role) const;
    /// Joints of a chain in order, filled roles only.
    std::vector<int> chain(const ChainPlan& of) const;
};

/// The last twist bone that lies in a limb's bone itself, so that the next role hangs on it; the role's own
/// joint when there is none. It has the roll that the limb's bone left to it.
int gathered_joint(const Skeleton& skeleton, const RoleMap& roles, const std::string& role);

/// Recomputes `missing`, `unassigned` and `twists` after fills were changed. Names are read for helpers
/// unless they are ignored.
void update_role_lists(const Skeleton& skeleton, RoleMap& roles, bool ignore_names = false);

}  // namespace nb
