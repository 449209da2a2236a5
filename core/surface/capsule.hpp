// Limbs as capsules with unlike ends, and how far apart two are.
#pragma once
#include <algorithm>

#include "core/math/rotation.hpp"
#include "core/surface/surface.hpp"

namespace nb {

/// All points within a_m + t (b_m - a_m) of the point t of the way from a to b; m.
struct Capsule {
    Vec3 a = Vec3::Zero(), b = Vec3::Zero();
    double a_m = 0.0, b_m = 0.0;

    Vec3 at(double t) const { return a + t * (b - a); }
    double radius(double t) const { return a_m + t * (b_m - a_m); }
    /// No point of it is farther from its middle than `around_m`.
    Vec3 middle() const { return 0.5 * (a + b); }
    double around_m() const { return 0.5 * (b - a).norm() + std::max(a_m, b_m); }
};

struct CapsuleGap {
    double height_m = 0.0;     ///< between the skins; below 0 they are in each other
    double t = 0.0, u = 0.0;   ///< where, along the one and the other
    Vec3 out = Vec3::UnitY();  ///< from the other to the one, unit; up where their bones cross
};

/// min over t, u of |A(t) - B(u)| - r_A(t) - r_B(u). That is convex in t and u; with ends alike it is the distance of two
/// segments in closed form, else u is the nearest place to a cone in closed form and t is halved, to 1e-9 of the bone.
/// Source: segments as in Ericson, Real-Time Collision Detection, 2005, 5.1.9 (from memory). Checked against FCL.
CapsuleGap gap_between(const Capsule& one, const Capsule& other);

/// Less than this two cannot be apart, m; cheap.
double at_least_apart(const Capsule& one, const Capsule& other);

/// Of a part, in the frame of its joint: its bone, with the mean radius of its first and of its last third; within its skin's
/// ends.
Capsule capsule_of(const PartSurface& part);

inline Capsule operator*(const Rigid& X, const Capsule& capsule) {
    return {X * capsule.a, X * capsule.b, capsule.a_m, capsule.b_m};
}

}  // namespace nb
