// Body plans: the roles of a kind of body, their chains from the body outward, what is needed, how many bones
// a chain may have, and how each role's rest must agree. Shipped plans are data files (core/body/plans);
// users write more, from scratch or on top of one (docs/body-plans.md).
#pragma once
#include <map>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/body/chain_settings.hpp"

namespace nb {

enum class Side { none, left, right };

std::string_view side_suffix(Side side);  // "", ".left", ".right"

/// The part of a role before its side and number: "thigh" of "thigh.left", "index" of "index.2.left".
std::string role_part(std::string_view role);
Side role_side(std::string_view role);
/// "thigh.left" <-> "thigh.right"; middle roles give themselves.
std::string mirrored_role(std::string_view role);
/// True for thumb, index, middle, ring and little.
bool is_finger_role(std::string_view role);

/// How a role's rest pose must agree with the common stance.
enum class RestRule { match, sole, gaze, keep };

/// A chain of a body: "spine", "neck", "arm.left", "leg.right", "index.left" ...
struct ChainPlan {
    std::string name;
    std::string parent_chain;        ///< empty for those that hang on the hips
    std::vector<std::string> roles;  ///< from the body outward
    bool is_limb = false;
    std::pair<int, int> bones{0, 99};  ///< least and most that are usual
    std::vector<std::string> words;    ///< of its bones' names, for chains the shape reading does not know
    std::vector<std::string> require;  ///< words a bone's name must have, all of them, to begin it
    std::vector<std::string> reject;   ///< words that a bone's name must not have
    ChainSettings usual;               ///< what is set for it where nothing else is
};

struct BodyPlan {
    std::string name;
    std::string figure;               ///< "biped" or "quadruped": the reading of shapes that finds its body
    bool has_hock = false;            ///< upright on its toes: the ankle stands high, no heel is below it
    std::vector<ChainPlan> chains;    ///< parents before children
    std::vector<std::string> needed;  ///< roles a transfer needs
    std::map<std::string, RestRule> rest_rules;  ///< a part; keep where it is not named
    std::map<std::string, double>
        stature_shares;  ///< a part's bone length as a share of stature; where human

    const ChainPlan* chain(std::string_view name) const;
    const ChainPlan* chain_of(std::string_view role) const;
};

/// What must agree at rest of a role, by its plan; a plan without rules of its own has those of a biped. Bones
/// of the palm lie in the hand as they are.
RestRule rest_rule(std::string_view role, const BodyPlan& plan);

/// Reads a plan from JSON text. A plan that `extends` another has all of its chains, rules and needed roles
/// and adds its own. Throws std::invalid_argument: what is wrong and what is expected.
BodyPlan parse_body_plan(const std::string& text);
/// A shipped plan or one that was added; nullptr when there is none of that name.
const BodyPlan* find_body_plan(std::string_view name);
/// The same; the biped's when there is none.
const BodyPlan& body_plan(std::string_view name);
std::vector<std::string> body_plan_names();
/// Makes a plan known for the rest of the process. A plan of the same name must be equal in its chains; false
/// when another of that name is known already.
bool add_body_plan(BodyPlan plan);

/// Roles a biped needs: hips, chest, head, and upper arm, forearm, hand, thigh, shin, foot of both sides.
const std::vector<std::string>& needed_roles();
/// Confidence below which a role counts as unsure.
inline constexpr double unsure_below = 0.6;

/// Text of the shipped plans' files.
std::vector<std::string> shipped_plan_texts();

}  // namespace nb
