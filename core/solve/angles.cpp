#include "core/solve/angles.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/math/hermite.hpp"
#include "core/solve/bone_rules.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

namespace {

constexpr double hand_by_stature = 0.108;  // length of a hand that ends nowhere (ANSUR II means, from memory)

void follow_everywhere(const PairedBodies& bodies, Program& program) {
    const Skeleton& skeleton = bodies.T_tree;
    const auto& R0 = bodies.T_R0;
    program.angles.resize(skeleton.names.size());
    for (size_t j = 0; j < program.angles.size(); ++j) {
        const bool is_outside = !skeleton.is_ancestor(program.body.top, int(j));
        const int parent = skeleton.parents[j];
        program.angles[j].C =
            is_outside || parent < 0 ? skeleton.rest_R[j] : R0[size_t(parent)].conjugate() * R0[j];
    }
}

void direct_joints(const PairedBodies& bodies, Program& program, int source, int target) {
    AngleOp& op = program.angles[size_t(target)];
    op.kind = AngleOp::Kind::direct;
    op.a = source;
    op.C = bodies.S_R0[size_t(source)].conjugate() * bodies.T_R0[size_t(target)];
    op.gathered = bodies.gathered(source);
    if (op.gathered >= 0)
        op.gathered_C = bodies.S_R0[size_t(op.gathered)].conjugate() * bodies.T_R0[size_t(target)];
}

void direct(const PairedBodies& bodies, Program& program, std::string_view role) {
    direct_joints(bodies, program, bodies.S.roles.joint(role), bodies.T.roles.joint(role));
}

/// A run that is stiff asks further along: x' = x + s (x_last - x), x the place along the source's bones.
ChainSample stiffened(const ChainSample& sample, const ChainSample& last, double stiffness) {
    const auto place = [](const ChainSample& at) { return at.a + (at.b == at.a ? 0.0 : at.u); };
    const double x = place(sample) + stiffness * (place(last) - place(sample));
    const int below = int(std::floor(x + 1e-9));
    const double u = x - below;
    return {below, u > 1e-9 ? below + 1 : below, u > 1e-9 ? u : 0.0};
}

void chains(const PairedBodies& bodies, Program& program) {
    for (const MatchedChain& chain : bodies.matched) {
        if (chain.is_left_out || chain.samples.empty()) continue;
        for (size_t i = 0; i < chain.T_joints.size(); ++i) {
            const double stiffness = chain.is_limb ? 0.0 : bodies.set(chain.name).stiffness.value_or(0.0);
            const ChainSample sample = stiffness > 0.0
                                           ? stiffened(chain.samples[i], chain.samples.back(), stiffness)
                                           : chain.samples[i];
            if (chain.is_limb && sample.a < 0) continue;
            const auto joint_of = [&](int bone) {
                return bone < 0 ? chain.S_parent : chain.S_joints[size_t(bone)];
            };
            const int a = joint_of(sample.a);
            const int b = joint_of(sample.b);
            if (a < 0 || b < 0) continue;
            direct_joints(bodies, program, a, chain.T_joints[i]);
            if (a == b || sample.u <= 0.0) continue;
            AngleOp& op = program.angles[size_t(chain.T_joints[i])];
            op.kind = AngleOp::Kind::blend;
            op.b = b;
            op.u = sample.u;
            op.A0_inverse = bodies.S_R0[size_t(a)].conjugate();
            op.B0_inverse = bodies.S_R0[size_t(b)].conjugate();
            op.C = bodies.T_R0[size_t(chain.T_joints[i])];
        }
    }
}

/// Arms without a hand, where the source has one and it is asked for.
void fold_hands(const PairedBodies& bodies, Program& program) {
    for (const Side side : {Side::left, Side::right}) {
        const std::string suffix(side_suffix(side));
        const int S_hand = bodies.S.roles.joint("hand" + suffix);
        const int S_forearm = bodies.S.roles.joint("forearm" + suffix);
        const int T_forearm = bodies.T.roles.joint("forearm" + suffix);
        if (!bodies.set("arm" + suffix).folds_hand.value_or(false) ||
            std::min({S_hand, S_forearm, T_forearm}) < 0 || bodies.T.roles.joint("hand" + suffix) >= 0)
            continue;
        AngleOp& op = program.angles[size_t(T_forearm)];
        if (op.kind != AngleOp::Kind::direct) continue;
        const std::vector<Vec3>& p0 = bodies.S.rest.p_WJ0;
        Vec3 end;
        if (!find_bone_end(bodies.S.rig.skeleton, bodies.S.roles, "hand" + suffix,
                           aligned_pose(bodies.S.rest), end))
            end = p0[size_t(S_hand)] + hand_by_stature * program.S_stature_m *
                                           (p0[size_t(S_hand)] - p0[size_t(S_forearm)]).normalized();
        FoldOp fold;
        const Quat rest_inverse = bodies.S.rest.R_WJ0[size_t(S_hand)].conjugate();
        fold.end_J = rest_inverse * Vec3(end - p0[size_t(S_hand)]);
        fold.axis0 =
            bodies.S_R0[size_t(S_hand)] * (rest_inverse * (end - p0[size_t(S_forearm)]).normalized());
        op = AngleOp();
        op.kind = AngleOp::Kind::fold;
        op.a = S_forearm;
        op.b = S_hand;
        op.B0_inverse = bodies.S_R0[size_t(S_hand)].conjugate();
        op.C = bodies.T_R0[size_t(T_forearm)];
        op.fold = int(program.folds.size());
        program.folds.push_back(fold);
    }
}

Quat folded(const Program& program, const AngleOp& op, const SourceFrame& source) {
    const FoldOp& fold = program.folds[size_t(op.fold)];
    const size_t hand = size_t(op.b);
    const Quat Q = source.R[hand] * op.B0_inverse;
    const Vec3 along = source.p[hand] + source.R[hand] * fold.end_J - source.p[size_t(op.a)];
    const Vec3 axis = Q * fold.axis0;
    const Quat arc = along.norm() < 1e-6 ? Quat::Identity() : shortest_arc(axis, along.normalized());
    return arc * Q;
}

}  // namespace

void compile_angles(const PairedBodies& bodies, Program& program) {
    program.aligned_rest = bodies.T_R0;
    follow_everywhere(bodies, program);
    direct(bodies, program, "hips");
    chains(bodies, program);
    const BodyPlan& plan = body_plan(bodies.T.roles.plan);
    for (const RoleFill& fill : bodies.T.roles.fills)
        if (!plan.chain_of(fill.role) && fill.role != "hips" && fill.role != "root" &&
            bodies.S.roles.joint(fill.role) >= 0)
            direct(bodies, program, fill.role);
    fold_hands(bodies, program);
}

Quat blend_turns(const Quat& a, const Quat& b, double u) {
    const Vec3 w = log_rotation(a.conjugate() * b);
    const double angle = w.norm();
    const double from = deg_to_rad(100.0);
    if (angle <= from) return a * exp_rotation(u * w);
    const double v = std::min(1.0, (angle - from) / (pi - from));
    return a * exp_rotation(u * (1.0 - smooth_step(v)) * w);
}

void pass_angles(const Program& program, const SourceFrame& source, TargetFrame& target) {
    const bool is_on = program.passes.angles;
    for (size_t j = 0; j < program.angles.size(); ++j) {
        const AngleOp& op = program.angles[j];
        const int parent = program.body.parents[j];
        const bool is_followed = op.kind == AngleOp::Kind::follow || op.kind == AngleOp::Kind::twist;
        if (op.kind == AngleOp::Kind::with && is_on)
            target.R[j] = (target.R[size_t(parent)] * turn_with(program, source, j)).normalized();
        else if (is_followed)
            target.R[j] = parent < 0 ? op.C : (target.R[size_t(parent)] * op.C).normalized();
        else if (!is_on)
            target.R[j] = program.aligned_rest[j];
        else if (op.kind == AngleOp::Kind::direct && op.gathered >= 0 && program.passes.gather)
            target.R[j] = (source.R[size_t(op.gathered)] * op.gathered_C).normalized();
        else if (op.kind == AngleOp::Kind::direct)
            target.R[j] = (source.R[size_t(op.a)] * op.C).normalized();
        else if (op.kind == AngleOp::Kind::fold)
            target.R[j] = (folded(program, op, source) * op.C).normalized();
        else
            target.R[j] = (blend_turns(source.R[size_t(op.a)] * op.A0_inverse,
                                       source.R[size_t(op.b)] * op.B0_inverse, op.u) *
                           op.C)
                              .normalized();
    }
}

}  // namespace nb
