// The biped body plan: its chains, the roles of each chain from the body outward, and which are needed.
#pragma once
#include <string>
#include <string_view>
#include <vector>

namespace nb {

enum class Side { none, left, right };

std::string_view side_suffix(Side side);  // "", ".left", ".right"

/// The part of a role before its side and number: "thigh" of "thigh.left", "index" of "index.2.left".
std::string role_part(std::string_view role);
Side role_side(std::string_view role);
/// "thigh.left" <-> "thigh.right"; middle roles give themselves.
std::string mirrored_role(std::string_view role);

/// How a role's rest pose must agree with the common stance.
enum class RestRule { match, sole, gaze, keep };
RestRule rest_rule(std::string_view role);

/// A chain of a biped: "spine", "neck", "arm.left", "leg.right", "index.left" ...
struct ChainPlan {
    std::string name;
    std::string parent_chain;        ///< empty for the spine, which hangs on the hips
    std::vector<std::string> roles;  ///< from the body outward
    bool is_limb = false;
};
/// All chains, parents before children. The spine's roles start with spine.1; the hips stand before all.
const std::vector<ChainPlan>& biped_chains();

/// Roles a transfer needs: hips, chest, head, and upper arm, forearm, hand, thigh, shin, foot of both sides.
const std::vector<std::string>& needed_roles();
/// Confidence below which a role counts as unsure.
inline constexpr double unsure_below = 0.6;

}  // namespace nb
