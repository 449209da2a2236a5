// How a limb of two bones bends for a distance.
#pragma once
#include "core/math/rotation.hpp"

namespace nb {

/// Turn about unit axis n of the lower bone (vector from mid to tip) that makes |upper + lower| = distance.
/// Near the straight limb the side on which the limb is bent is kept; a limb bent the wrong way by h goes
/// over to the right side between bends of h and 3 h. Unreachable distances give the nearest.
double bend_for_distance(const Vec3& upper, const Vec3& lower, const Vec3& n, double distance);

/// World turns of the two bones that bring the tip toward `to` (seen from the start), bent about unit n to `distance`.
struct TwoBoneTurns {
    Quat upper = Quat::Identity(), lower = Quat::Identity();
};
TwoBoneTurns bend_toward(const Vec3& upper, const Vec3& lower, const Vec3& n, const Vec3& to,
                         double distance);

}  // namespace nb
