#include "core/transfer/passes.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

Quat blend_turns(const Quat& a, const Quat& b, double u) {
    const Vec3 w = log_rotation(a.conjugate() * b);
    const double angle = w.norm();
    const double from = deg_to_rad(100.0);
    if (angle <= from) return a * exp_rotation(u * w);
    const double v = std::min(1.0, (angle - from) / (pi - from));
    return a * exp_rotation(u * (1.0 - v * v * (3.0 - 2.0 * v)) * w);
}

void pass_angles(const Plan& plan, const SourceFrame& source, TargetFrame& target) {
    const bool is_on = plan.passes.angles;
    for (size_t j = 0; j < plan.angles.size(); ++j) {
        const AngleOp& op = plan.angles[j];
        const int parent = plan.T_parents[j];
        const bool is_followed = op.kind == AngleOp::Kind::follow || op.kind == AngleOp::Kind::twist;
        if (is_followed)
            target.R[j] = parent < 0 ? op.C : (target.R[size_t(parent)] * op.C).normalized();
        else if (!is_on)
            target.R[j] = plan.T_aligned_rest[j];
        else if (op.kind == AngleOp::Kind::direct)
            target.R[j] = (source.R[size_t(op.a)] * op.C).normalized();
        else
            target.R[j] = (blend_turns(source.R[size_t(op.a)] * op.A0_inverse,
                                       source.R[size_t(op.b)] * op.B0_inverse, op.u) *
                           op.C)
                              .normalized();
    }
}

namespace {

/// Positions below the hips from rotations; what stands outside the body stays at rest.
void place_joints(const Plan& plan, const Vec3& p_WH, TargetFrame& target) {
    for (size_t j = 0; j < plan.T_parents.size(); ++j) {
        const int parent = plan.T_parents[j];
        if (int(j) == plan.T_hips)
            target.p[j] = p_WH;
        else if (parent < 0)
            target.p[j] = plan.T_offsets[j];
        else
            target.p[j] = target.p[size_t(parent)] + target.R[size_t(parent)] * plan.T_offsets[j];
    }
}

/// What follows turned bones keeps its rest relative to them; roles keep their world rotation, and so do
/// twist bones that are turned already.
void follow(const Plan& plan, TargetFrame& target, bool are_twists_turned) {
    for (size_t j = 0; j < plan.angles.size(); ++j) {
        const AngleOp& op = plan.angles[j];
        const int parent = plan.T_parents[j];
        if (parent < 0) continue;
        if (op.kind == AngleOp::Kind::follow || (op.kind == AngleOp::Kind::twist && !are_twists_turned))
            target.R[j] = (target.R[size_t(parent)] * op.C).normalized();
    }
}

/// The same, and positions after it.
void follow_anew(const Plan& plan, TargetFrame& target, bool are_twists_turned) {
    follow(plan, target, are_twists_turned);
    place_joints(plan, target.p[size_t(plan.T_hips)], target);
}

}  // namespace

void pass_root(const Plan& plan, const SourceFrame& source, TargetFrame& target,
               const FrameCorrection* held) {
    Vec3 centre = plan.T_rest_hip_centre;
    if (plan.passes.root) {
        const Vec3 S_centre =
            0.5 * (source.p[size_t(plan.S_thigh_left)] + source.p[size_t(plan.S_thigh_right)]);
        centre = plan.k * S_centre;
        centre.y() = plan.T_ankle_m + plan.k * (S_centre.y() - plan.S_ankle_m);
    }
    if (held) {
        centre += held->hips_m;
        const auto turn = [&](int joint, const Quat& by) {
            target.R[size_t(joint)] = (by * target.R[size_t(joint)]).normalized();
        };
        turn(plan.T_hips, held->hips_turn);
        for (size_t side = 0; side < 2; ++side) {
            const FootOp& foot = plan.feet[side];
            if (foot.reach < 0) continue;
            const FrameCorrection::Leg& leg = held->legs[side];
            turn(foot.sole.ankle, leg.foot);
            if (foot.sole.toe >= 0) turn(foot.sole.toe, leg.toe * leg.foot);
        }
        follow(plan, target, false);
    }
    place_joints(plan, centre - target.R[size_t(plan.T_hips)] * plan.T_hip_centre, target);
}

double soften_stretch(double wanted, double source, double from) {
    return soften_beyond(wanted, std::min(std::max(source, from), 1.0));
}

double held_stretch(double source) {
    return std::clamp(source, 0.98, 0.995);
}

double soften_beyond(double wanted, double free) {
    if (wanted <= free) return wanted;
    const double left = 1.0 - free;
    if (left < 1e-12) return free;
    return free + left * (1.0 - std::exp(-(wanted - free) / left));
}

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

void pass_reach(const Plan& plan, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held) {
    if (!plan.passes.reach || plan.reaches.empty()) return;
    for (const ReachOp& op : plan.reaches) {
        const FrameCorrection::Leg* leg = held && op.foot >= 0 ? &held->legs[size_t(op.foot)] : nullptr;
        const Vec3& start = target.p[size_t(op.T_start)];
        const double S_reach = (source.p[size_t(op.S_tip)] - source.p[size_t(op.S_start)]).norm();
        Vec3 asked = reach_goal(op, source.p, start) - start;
        if (leg) asked += leg->ankle_m - leg->start_m;
        if (op.share < 1.0) {
            const Vec3 by_angles = target.p[size_t(op.T_tip)] - start;
            asked = by_angles + std::max(op.share, leg ? leg->hold : 0.0) * (asked - by_angles);
        }
        const double wanted = asked.norm() / op.T_length_m;
        if (wanted < 1e-9) continue;
        double stretch = soften_stretch(wanted, S_reach / op.S_length_m, op.soften_from);
        if (leg)
            stretch += leg->hold * (soften_beyond(wanted, held_stretch(S_reach / op.S_length_m)) - stretch);

        const Vec3 n = source.R[size_t(op.S_hinge)] * (op.S_hinge0_inverse * op.n0);
        const Vec3 upper = target.p[size_t(op.T_mid)] - start;
        const Vec3 lower = target.p[size_t(op.T_tip)] - target.p[size_t(op.T_mid)];
        const Quat bend = exp_rotation(bend_for_distance(upper, lower, n, stretch * op.T_length_m) * n);
        const Vec3 bent_tip = upper + bend * lower;
        if (bent_tip.norm() < 1e-9) continue;
        const Mat3 from = frame_from(bent_tip, n);
        const Mat3 to = frame_from(asked, n);
        const Quat turn(Mat3(to * from.transpose()));
        target.R[size_t(op.T_start)] = (turn * target.R[size_t(op.T_start)]).normalized();
        target.R[size_t(op.T_mid)] = (turn * bend * target.R[size_t(op.T_mid)]).normalized();
    }
    follow_anew(plan, target, false);
}

double fold_roll(double roll_rad) {
    const double most = deg_to_rad(150.0);
    const double size = std::abs(roll_rad);
    if (size <= most) return roll_rad;
    return std::copysign(most * (pi - std::min(size, pi)) / (pi - most), roll_rad);
}

void pass_twist(const Plan& plan, TargetFrame& target) {
    if (!plan.passes.twist || plan.twists.empty()) return;
    for (const TwistOp& op : plan.twists) {
        const Quat Q_above = target.R[size_t(op.above)] * op.above0_inverse;
        const Quat Q_bone = target.R[size_t(op.bone)] * op.bone0_inverse;
        double turn = -(1.0 - op.share) * fold_roll(twist_angle(Q_above.conjugate() * Q_bone, op.axis0));
        if (op.below >= 0) {
            const Quat Q_below = target.R[size_t(op.below)] * op.below0_inverse;
            turn += op.share * fold_roll(twist_angle(Q_bone.conjugate() * Q_below, op.axis0));
        }
        target.R[size_t(op.joint)] = (Q_bone * exp_rotation(turn * op.axis0) * op.joint0).normalized();
    }
    follow_anew(plan, target, true);
}

}  // namespace nb
