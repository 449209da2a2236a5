#include "core/solve/passes.hpp"

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
        else if (op.kind == AngleOp::Kind::direct && op.gathered >= 0 && plan.passes.gather)
            target.R[j] = (source.R[size_t(op.gathered)] * op.gathered_C).normalized();
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

/// What the offset of a target joint is scaled by.
double length_factor(const Plan& plan, const SourceFrame& source, size_t joint) {
    if (plan.length_of.empty() || plan.length_of[joint] < 0) return 1.0;
    const LengthOp& op = plan.lengths[size_t(plan.length_of[joint])];
    double now = 0.0;
    for (size_t i = 1; i < op.S_joints.size(); ++i)
        now += (source.p[size_t(op.S_joints[i])] - source.p[size_t(op.S_joints[i - 1])]).norm();
    return 1.0 + op.share * (now / op.S_rest_m - 1.0);
}

/// Positions below the hips from rotations; what stands outside the body stays at rest.
void place_joints(const Plan& plan, const SourceFrame& source, const Vec3& p_WH, TargetFrame& target) {
    for (size_t j = 0; j < plan.T_parents.size(); ++j) {
        const int parent = plan.T_parents[j];
        if (int(j) == plan.T_top)
            target.p[j] = p_WH;
        else if (parent < 0)
            target.p[j] = plan.T_offsets[j];
        else
            target.p[j] = target.p[size_t(parent)] +
                          target.R[size_t(parent)] * (length_factor(plan, source, j) * plan.T_offsets[j]);
    }
    if (plan.T_body.empty()) return;
    const Vec3 move = p_WH - target.p[size_t(plan.T_hips)];
    for (const int j : plan.T_body) target.p[size_t(j)] += move;
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
void follow_anew(const Plan& plan, const SourceFrame& source, TargetFrame& target, bool are_twists_turned) {
    follow(plan, target, are_twists_turned);
    place_joints(plan, source, target.p[size_t(plan.T_hips)], target);
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
        for (size_t i = 0; i < limb_count; ++i) {
            const EndOp& end = plan.ends[i];
            if (end.reach < 0) continue;
            const FrameCorrection::Limb& limb = held->limbs[i];
            turn(end.sole.ankle, limb.foot);
            if (end.sole.toe >= 0) turn(end.sole.toe, limb.toe * limb.foot);
        }
        follow(plan, target, false);
    }
    place_joints(plan, source, centre - target.R[size_t(plan.T_hips)] * plan.T_hip_centre, target);
}

double soften_stretch(double wanted, double source, double from) {
    return soften_beyond(wanted, std::min(std::max(source, from), 1.0));
}

double held_stretch(double source, bool has_hock) {
    return std::clamp(source, 0.98, has_hock ? 0.9999 : 0.995);
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

Vec3 reach_goal(const Plan& plan, const ReachOp& op, std::span<const Vec3> source_p,
                const Vec3& target_start) {
    const Vec3& tip = source_p[size_t(op.S_tip)];
    if (op.is_placed) {
        const Vec3 place = plan.k * tip;
        return {place.x(), op.T_over_m + plan.k * (tip.y() - op.S_over_m), place.z()};
    }
    return target_start + op.scale * (tip - source_p[size_t(op.S_start)]);
}

double source_stretch(const ReachOp& op, std::span<const Vec3> source_p) {
    const Vec3& start = source_p[size_t(op.S_start)];
    const Vec3& mid = source_p[size_t(op.S_mid)];
    const Vec3& tip = source_p[size_t(op.S_tip)];
    const double length = (mid - start).norm() + (tip - mid).norm();
    return length < 1e-9 ? 0.0 : (tip - start).norm() / length;
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

namespace {

/// Turns a joint and moves its end: the clavicle with the shoulder.
void turn_clavicle(const ReachOp& op, const Quat& turn, TargetFrame& target) {
    const Vec3& pivot = target.p[size_t(op.T_clavicle)];
    Vec3& shoulder = target.p[size_t(op.T_start)];
    shoulder = pivot + turn * (shoulder - pivot);
    target.R[size_t(op.T_clavicle)] = (turn * target.R[size_t(op.T_clavicle)]).normalized();
}

void reach_limb(const Plan& plan, const ReachOp& op, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection::Limb* held) {
    const double hold = held ? held->hold : 0.0;
    const double share = std::max(op.share, hold);
    const bool has_shoulder = op.shoulder_share > 0.0 && op.T_clavicle >= 0 && op.T_chest >= 0;
    if (share <= 0.0 && op.pole_rad == 0.0 && !has_shoulder) return;
    const Vec3& start = target.p[size_t(op.T_start)];
    const Vec3 upper = target.p[size_t(op.T_mid)] - start;
    const Vec3 lower = target.p[size_t(op.T_tip)] - target.p[size_t(op.T_mid)];
    const Vec3 by_angles = target.p[size_t(op.T_tip)];
    const Vec3 goal = reach_goal(plan, op, source.p, start);
    if (has_shoulder) {
        const Quat Q_chest = target.R[size_t(op.T_chest)] * op.T_chest0_inverse;
        const double turn = op.shoulder_share * raised(angle_between(upper, Vec3(Q_chest * -Vec3::UnitY())));
        turn_clavicle(op, exp_rotation(op.side_sign * turn * (Q_chest * Vec3::UnitZ())), target);
    }
    const double T_length = upper.norm() + lower.norm();
    const double S_stretch = source_stretch(op, source.p);
    if (T_length < 1e-9 || S_stretch <= 0.0) return;
    const auto asked_from = [&](const Vec3& from) {
        Vec3 asked = goal - from;
        if (held) asked += held->ankle_m - held->start_m;
        if (share < 1.0) asked = by_angles - from + share * (asked - (by_angles - from));
        return asked;
    };
    const auto stretch_for = [&](double wanted) {
        if (share <= 0.0 && !has_shoulder) return wanted;
        const double stretch = soften_stretch(wanted, S_stretch, op.soften_from);
        return stretch + hold * (soften_beyond(wanted, held_stretch(S_stretch, op.T_hock >= 0)) - stretch);
    };
    Vec3 asked = asked_from(start);
    double wanted = asked.norm() / T_length;
    if (wanted < 1e-9) return;
    double stretch = stretch_for(wanted);
    if (op.clavicle_gives > 0.0 && op.T_clavicle >= 0 && wanted > stretch) {
        const Vec3 arm = start - target.p[size_t(op.T_clavicle)];
        const Vec3 toward = op.clavicle_gives * (wanted - stretch) * T_length * asked.normalized();
        turn_clavicle(op, shortest_arc(arm, arm + toward), target);
        asked = asked_from(start);
        wanted = asked.norm() / T_length;
        stretch = stretch_for(wanted);
    }
    const bool is_gathered = plan.passes.gather;
    const Vec3 n = source.R[size_t(is_gathered ? op.S_hinge : op.S_hinge_plain)] *
                   ((is_gathered ? op.S_hinge0_inverse : op.S_hinge_plain0_inverse) * op.n0);
    const Quat bend = exp_rotation(bend_for_distance(upper, lower, n, stretch * T_length) * n);
    const Vec3 bent_tip = upper + bend * lower;
    if (bent_tip.norm() < 1e-9) return;
    const Mat3 from = frame_from(bent_tip, n);
    const Vec3 aside = op.pole_rad == 0.0 ? n : Vec3(exp_rotation(op.pole_rad * asked.normalized()) * n);
    const Mat3 to = frame_from(asked, aside);
    const Quat turn(Mat3(to * from.transpose()));
    const auto turn_joint = [&](int joint, const Quat& by) {
        target.R[size_t(joint)] = (by * target.R[size_t(joint)]).normalized();
    };
    turn_joint(op.T_start, turn);
    turn_joint(op.T_mid, turn * bend);
    if (op.T_hock >= 0) turn_joint(op.T_hock, turn * bend);
}

void reach_run(const Plan& plan, const RunReachOp& op, const SourceFrame& source, TargetFrame& target) {
    const auto p = [&](size_t i) -> Vec3& { return target.p[size_t(op.T_joints[i])]; };
    const auto R = [&](size_t i) -> Quat& { return target.R[size_t(op.T_joints[i])]; };
    const size_t count = op.T_joints.size();
    const Vec3 start = p(0);
    Vec3 tip = p(count - 1) + R(count - 1) * op.T_end_J;
    const Vec3& S_start = source.p[size_t(op.S_first)];
    const Vec3 S_tip = source.p[size_t(op.S_last)] + source.R[size_t(op.S_last)] * op.S_end_J;
    Vec3 asked = op.is_placed ? Vec3(plan.k * S_tip - start) : Vec3(op.scale * (S_tip - S_start));
    asked = tip - start + op.share * (asked - (tip - start));
    const double wanted = asked.norm() / op.T_length_m;
    if (wanted < 1e-9) return;
    const Vec3 goal =
        start +
        asked / wanted * soften_stretch(wanted, (S_tip - S_start).norm() / op.S_length_m, op.soften_from);
    constexpr int most_steps = 24;
    const double damping = 0.02 * op.T_length_m;
    const double most_step = 0.3 * op.T_length_m;
    for (int step = 0; step < most_steps; ++step) {
        Vec3 error = goal - tip;
        const double off = error.norm();
        if (off < 1e-7 * op.T_length_m) break;
        if (off > most_step) error *= most_step / off;
        // J_i = -[r_i]x of each joint's turn, r_i from the joint to the tip.
        Mat3 JJ = std::min(1.0, off / op.T_length_m) * damping * damping * Mat3::Identity();
        for (size_t i = 0; i < count; ++i) {
            const Vec3 r = tip - p(i);
            JJ += r.squaredNorm() * Mat3::Identity() - r * r.transpose();
        }
        const Vec3 y = JJ.ldlt().solve(error);
        const Vec3 tip_before = tip;
        for (size_t i = count; i-- > 0;) {
            const Vec3 r = tip_before - p(i);
            const Quat turn = exp_rotation(r.cross(y));
            for (size_t j = i; j < count; ++j) {
                R(j) = (turn * R(j)).normalized();
                if (j > i) p(j) = p(i) + turn * (p(j) - p(i));
            }
            tip = p(i) + turn * (tip - p(i));
        }
    }
}

}  // namespace

void pass_reach(const Plan& plan, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held) {
    if (!plan.passes.reach) return;
    for (const RunReachOp& op : plan.run_reaches) {
        reach_run(plan, op, source, target);
        follow_anew(plan, source, target, false);
    }
    if (plan.reaches.empty()) return;
    for (const ReachOp& op : plan.reaches)
        reach_limb(plan, op, source, target,
                   held && plan.ends[op.limb].reach >= 0 ? &held->limbs[op.limb] : nullptr);
    follow_anew(plan, source, target, false);
}

double fold_roll(double roll_rad) {
    const double most = deg_to_rad(150.0);
    const double size = std::abs(roll_rad);
    if (size <= most) return roll_rad;
    return std::copysign(most * (pi - std::min(size, pi)) / (pi - most), roll_rad);
}

void pass_twist(const Plan& plan, const SourceFrame& source, TargetFrame& target) {
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
    follow_anew(plan, source, target, true);
}

}  // namespace nb
