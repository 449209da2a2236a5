#include "core/math/two_bones.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

double bend_for_distance(const Vec3& upper, const Vec3& lower, const Vec3& n, double distance) {
    // upper . Rot(n, d) lower = along + radius cos(d - straight)
    const double along = upper.dot(n) * lower.dot(n);
    const Vec3 u = upper - n * n.dot(upper);
    const Vec3 l = lower - n * n.dot(lower);
    const double radius = u.norm() * l.norm();
    if (radius < 1e-15) return 0.0;
    const double straight = std::atan2(n.cross(l).dot(u), l.dot(u));  // the turn that straightens the limb
    const double wanted_dot = 0.5 * (distance * distance - upper.squaredNorm() - lower.squaredNorm());
    const double bend = std::acos(std::clamp((wanted_dot - along) / radius, -1.0, 1.0));
    const double now = -straight;  // flexion, positive the right way
    double flexion = bend;
    if (now < 0.0) {
        const double wrong = -now;
        flexion = bend <= wrong ? -bend : std::min(bend, -wrong + 2.0 * (bend - wrong));
    }
    return flexion + straight;
}

TwoBoneTurns bend_toward(const Vec3& upper, const Vec3& lower, const Vec3& n, const Vec3& to,
                         double distance) {
    const Quat bend = exp_rotation(bend_for_distance(upper, lower, n, distance) * n);
    const Vec3 bent = upper + bend * lower;
    if (bent.norm() < 1e-9) return {};
    const Quat turn = shortest_arc(bent, to, n);
    return {turn, turn * bend};
}

}  // namespace nb
