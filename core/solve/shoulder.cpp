#include "core/solve/shoulder.hpp"

#include <algorithm>
#include <cmath>

#include "core/solve/paired.hpp"

namespace nb {

ShoulderOp compile_shoulder(const PairedBodies& bodies, Side side, const ChainSettings& own) {
    const std::string suffix(side_suffix(side));
    const RoleMap& roles = bodies.T.roles;
    ShoulderOp op;
    op.side_sign = side == Side::left ? 1.0 : -1.0;
    op.T_clavicle = roles.joint("clavicle" + suffix);
    op.gives = own.start_gives.value_or(usual_clavicle_gives);
    op.share = own.shoulder_share.value_or(0.0);
    op.T_chest = roles.joint(roles.parent_role((op.T_clavicle >= 0 ? "clavicle" : "upperarm") + suffix));
    if (op.T_chest >= 0) op.T_chest0_inverse = bodies.T_R0[size_t(op.T_chest)].conjugate();
    return op;
}

namespace {

/// Turns the clavicle and moves its end, the shoulder.
void turn_clavicle(const ShoulderOp& op, int T_start, const Quat& turn, TargetFrame& target) {
    const Vec3& pivot = target.p[size_t(op.T_clavicle)];
    Vec3& shoulder = target.p[size_t(T_start)];
    shoulder = pivot + turn * (shoulder - pivot);
    turn_joint(target, op.T_clavicle, turn);
}

}  // namespace

void raise_shoulder(const ShoulderOp& op, int T_start, const Vec3& upper, TargetFrame& target) {
    const Quat Q_chest = target.R[size_t(op.T_chest)] * op.T_chest0_inverse;
    const double turn = op.share * raised(angle_between(upper, Vec3(Q_chest * -Vec3::UnitY())));
    turn_clavicle(op, T_start, exp_rotation(op.side_sign * turn * (Q_chest * Vec3::UnitZ())), target);
}

void bring_shoulder(const ShoulderOp& op, int T_start, const Vec3& toward, TargetFrame& target) {
    const Vec3 arm = target.p[size_t(T_start)] - target.p[size_t(op.T_clavicle)];
    turn_clavicle(op, T_start, shortest_arc(arm, arm + toward), target);
}

double raised(double elevation_rad) {
    constexpr double from = pi / 6.0, onset = pi / 18.0, top = 5.0 * pi / 6.0;
    const double over = std::min(elevation_rad, top) - from;
    double result = over <= 0.0 ? 0.0 : over < onset ? over * over / (2.0 * onset) : over - 0.5 * onset;
    if (elevation_rad > top) {
        const double v = std::min(1.0, (elevation_rad - top) / (pi - top));
        result += (pi - top) * (v - 0.5 * v * v);
    }
    return result;
}

}  // namespace nb
