// What an animator moves a body by: where hips, hands, feet, elbows and knees are, frame by frame.
//
// A goal is a frame X_WG of a role: at its joint, turned by Q = R_WJ R_WJ0^T, what the body does since its aligned rest;
// so at rest it stands in the world's axes. Beside the roles there are
//   elbow, knee   the pole: p = mid + s L u, L the length of the limb, s a share, u square to start -> tip in the plane
//                 the limb is bent in; nearer to straight than `straight_rad` the plane its hinge n = Q_upper n0 is
//                 square to, gone over to smoothly, so that a straight limb does not flip.
//   look          in front of the head at two thirds of the stature.
// Seen in a space (world, root, hips, chest): X_SG = X_WS^-1 X_WG.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/handover/handed.hpp"

namespace nb {

enum class GoalSpace { world, root, hips, chest };
std::string_view goal_space_name(GoalSpace space);
std::optional<GoalSpace> goal_space(std::string_view name);

/// The goals that are usual, those whose roles the body has: "hips", "wrist.left", "knee.right", "look" ...
std::vector<std::string> usual_goals(const RoleMap& roles);

/// A goal before elbow or knee.
bool is_pole(const std::string& goal);
/// Joints of the limb a pole is of: start, mid, tip; -1 where the body lacks one.
std::array<int, 3> limb_of_pole(const RoleMap& roles, const std::string& pole);
/// One of the usual goals, or any role the body has.
bool has_goal(const RoleMap& roles, const std::string& goal);

struct GoalTrack {
    std::string name;
    std::vector<Rigid> X_WG;  ///< a frame; world, m
    Rigid rest;               ///< at the aligned rest
};
/// One of the usual goals, or any role. Throws std::invalid_argument for what the body has not.
GoalTrack goal_track(const Handed& handed, const std::string& goal, double pole_share = 0.5);

struct GoalOptions {
    std::vector<std::string> goals;  ///< empty: the usual ones
    GoalSpace space = GoalSpace::world;
    double pole_share = 0.5;
    std::string pattern = "{goal}_goal";  ///< names of the nodes
    bool operator==(const GoalOptions&) const = default;
};
/// Goals as plain nodes, each below the one of its space, to be written like a body (core/handover/write.hpp).
Handed goals_as_nodes(const Handed& handed, const GoalOptions& options);

}  // namespace nb
