#include "core/solve/twist.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

void compile_twists(const PairedBodies& bodies, Program& program) {
    const auto& R0 = bodies.T_R0;
    for (const TwistBone& twist : bodies.T.roles.twists) {
        const std::string part = role_part(twist.role);
        const bool is_lower = part == "forearm" || part == "shin";
        if (!is_lower && part != "upperarm" && part != "thigh") continue;
        const size_t j = size_t(twist.joint);
        TwistOp op;
        op.role = twist.role;
        op.joint = twist.joint;
        op.bone = bodies.T.roles.joint(twist.role);
        op.above = bodies.T.roles.joint(bodies.T.roles.parent_role(twist.role));
        const std::string side(side_suffix(role_side(twist.role)));
        op.below = is_lower ? bodies.T.roles.joint((part == "shin" ? "foot" : "hand") + side) : -1;
        op.share = std::clamp(twist.share, 0.0, 1.0);
        Vec3 end;
        const Pose rest{bodies.T.rest.R_WJ0, bodies.T.rest.p_WJ0};
        if (op.bone < 0 || op.above < 0 || program.angles[j].kind != AngleOp::Kind::follow ||
            program.angles[size_t(op.bone)].kind == AngleOp::Kind::follow ||
            !find_bone_end(bodies.T_tree, bodies.T.roles, twist.role, rest, end))
            continue;
        op.axis0 = R0[size_t(op.bone)] * rest.R[size_t(op.bone)].conjugate() *
                   (end - rest.p[size_t(op.bone)]).normalized();
        op.above0_inverse = R0[size_t(op.above)].conjugate();
        op.bone0_inverse = R0[size_t(op.bone)].conjugate();
        op.below0_inverse = op.below < 0 ? Quat::Identity() : Quat(R0[size_t(op.below)].conjugate());
        op.joint0 = R0[j];
        program.angles[j].kind = AngleOp::Kind::twist;
        program.twists.push_back(op);
    }
}

double fold_roll(double roll_rad) {
    const double most = deg_to_rad(150.0);
    const double size = std::abs(roll_rad);
    if (size <= most) return roll_rad;
    return std::copysign(most * (pi - std::min(size, pi)) / (pi - most), roll_rad);
}

namespace {

void turn_twist(const TwistOp& op, TargetFrame& target) {
    const Quat Q_above = target.R[size_t(op.above)] * op.above0_inverse;
    const Quat Q_bone = target.R[size_t(op.bone)] * op.bone0_inverse;
    double turn = -(1.0 - op.share) * fold_roll(twist_angle(Q_above.conjugate() * Q_bone, op.axis0));
    if (op.below >= 0) {
        const Quat Q_below = target.R[size_t(op.below)] * op.below0_inverse;
        turn += op.share * fold_roll(twist_angle(Q_bone.conjugate() * Q_below, op.axis0));
    }
    target.R[size_t(op.joint)] = (Q_bone * exp_rotation(turn * op.axis0) * op.joint0).normalized();
}

}  // namespace

void pass_twist(const Program& program, const SourceFrame& source, TargetFrame& target) {
    if (!program.passes.twist || program.twists.empty()) return;
    for (const TwistOp& op : program.twists) turn_twist(op, target);
    follow_anew(program, source, target, true);
}

void pass_twist_below(const Program& program, const SourceFrame& source, TargetFrame& target, int joint) {
    if (!program.passes.twist) return;
    for (const TwistOp& op : program.twists)
        if (program.body.moves(joint, op.bone)) turn_twist(op, target);
    follow_below(program, source, target, joint, true);
    // Some hang beside the bone they lie along.
    for (const TwistOp& op : program.twists)
        if (program.body.moves(joint, op.bone) && !program.body.moves(joint, op.joint))
            follow_below(program, source, target, op.joint, true);
}

}  // namespace nb
