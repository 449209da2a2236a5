#include "core/solve/keep_within.hpp"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

#include "core/solve/near.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

double softly_within(double angle_deg, double most_deg) {
    const double from = most_deg - soft_range_deg;
    if (angle_deg <= from) return angle_deg;
    return from + soft_range_deg * std::tanh((angle_deg - from) / soft_range_deg);
}

void compile_ranges(const PairedBodies& bodies, Program& program) {
    if (bodies.T.roles.is_four_legged()) return;
    const auto add = [&](const std::string& chain, const std::string& role, size_t limb) {
        const double share = bodies.set(chain).keep_within.value_or(0.0);
        const auto joint = share > 0.0 ? ranged_joint(bodies.T, role) : std::nullopt;
        if (!joint) return;
        RangeOp op{*joint, share, limb, {}};
        for (int j = 0; j < bodies.T_tree.size(); ++j)
            if (bodies.T_tree.is_ancestor(joint->joint, j)) op.below.push_back(j);
        program.ranges.push_back(std::move(op));
    };
    add("neck", "head", limb_count);
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const std::string suffix(side_suffix(role_side(limb_names[limb])));
        const std::vector<std::string> parts = limb >= 2
                                                   ? std::vector<std::string>{"upperarm", "forearm", "hand"}
                                                   : std::vector<std::string>{"thigh", "shin"};
        for (const std::string& part : parts) add(limb_names[limb], part + suffix, limb);
    }
}

namespace {

/// The turn, world, that brings every way of a joint to its goal.
Quat turn_within(const RangedJoint& joint, const Quat& above, const Quat& R) {
    constexpr double step_rad = 1e-4, damping = 1e-6;
    const JointAngles was = joint_angles_deg(joint, above, R);
    JointAngles goal = was;
    for (size_t i = 0; i < was.size(); ++i) goal[i] = softly_within(was[i], joint_ranges[i].most_deg);
    Quat turn = Quat::Identity();
    if (goal == was) return turn;
    for (int round = 0; round < 3; ++round) {
        const JointAngles now = joint_angles_deg(joint, above, turn * R);
        std::array<JointAngles, 3> beside;
        for (int k = 0; k < 3; ++k)
            beside[size_t(k)] =
                joint_angles_deg(joint, above, exp_rotation(step_rad * Vec3(Vec3::Unit(k))) * turn * R);
        Mat3 H = damping * Mat3::Identity();
        Vec3 pull = Vec3::Zero();
        for (size_t i = 0; i < was.size(); ++i) {
            if (goal[i] == was[i]) continue;
            Vec3 slope;
            for (int k = 0; k < 3; ++k) slope[k] = deg_to_rad(beside[size_t(k)][i] - now[i]) / step_rad;
            H += slope * slope.transpose();
            pull += deg_to_rad(goal[i] - now[i]) * slope;
        }
        const Vec3 by = H.ldlt().solve(pull);
        turn = (exp_rotation(by) * turn).normalized();
    }
    return turn;
}

}  // namespace

void keep_within(const Program& program, const SourceFrame& source, TargetFrame& target,
                 const FrameCorrection* held) {
    for (const RangeOp& op : program.ranges) {
        double share = op.share;
        if (op.limb < limb_count) {
            if (held) share *= 1.0 - held->limbs[op.limb].hold;
            share *= 1.0 - on_set_led(program, op.limb, source.t_s);
            share *= 1.0 - std::max(touch_led(program, op.limb, source.t_s),
                                    hold_led(program, op.limb, source.t_s));
        }
        if (share <= 0.0) continue;
        const size_t joint = size_t(op.joint.joint);
        const Quat whole = turn_within(op.joint, target.R[size_t(op.joint.above)], target.R[joint]);
        if (whole.vec().isZero(0.0)) continue;
        const Quat turn = Quat::Identity().slerp(share, whole);
        const Vec3 about = target.p[joint];
        for (const int j : op.below) {
            turn_joint(target, j, turn);
            target.p[size_t(j)] = about + turn * (target.p[size_t(j)] - about);
        }
    }
}

}  // namespace nb
