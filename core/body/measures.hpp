// Lengths of a body that the transfer and the messages speak of.
#pragma once
#include "core/body/roles.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

/// Thigh and shank as a share of stature: 0.245 + 0.246 (Drillis & Contini, in Winter, Biomechanics and
/// Motor Control of Human Movement; from memory).
inline constexpr double leg_share_of_stature = 0.491;

/// Lengths and speeds that do not depend on a body's size are told for a human of this stature.
inline constexpr double reference_stature_m = 1.75;

/// Rest length from a role's joint to another's, 0 when either is missing. Same unit as the skeleton.
double length_between(const Skeleton& skeleton, const RoleMap& roles, std::string_view from,
                      std::string_view to);
/// Thigh + shin, mean of both sides (one side when the other is missing).
double leg_length(const Skeleton& skeleton, const RoleMap& roles);
/// Upper arm + forearm, mean of both sides.
double arm_length(const Skeleton& skeleton, const RoleMap& roles);
/// Height of a human of that leg length, m.
double stature(const Skeleton& skeleton, const RoleMap& roles);

/// Height of the body in the guess of the unit: from the lengths of trunk and legs, in file units.
double body_height(const Skeleton& skeleton, const RoleMap& roles);

/// From the body's right to its left in a pose: thigh joints, else, where those lie in one point (nearer than a
/// fiftieth of what the limbs span), the next pair outward that has an extent: shoulders, knees, feet, hands. Not a
/// unit vector; zero where no pair has any.
Vec3 body_left(const RoleMap& roles, const Pose& pose);

}  // namespace nb
