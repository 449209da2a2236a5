#include "core/solve/run.hpp"

#include <algorithm>

#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

void compile_runs(const PairedBodies& bodies, Program& program) {
    for (const MatchedChain& chain : bodies.matched) {
        const ChainSettings& own = bodies.set(chain.name);
        if (chain.is_limb || chain.is_left_out || own.carry.value_or(Carry::angles) == Carry::angles ||
            chain.S_joints.size() < 2 || chain.T_joints.size() < 2)
            continue;
        RunOp op;
        op.T_joints = chain.T_joints;
        op.T_end_J = end_of_run(bodies.T, chain.T_joints.back());
        op.S_first = chain.S_joints.front();
        op.S_last = chain.S_joints.back();
        op.S_end_J = end_of_run(bodies.S, op.S_last);
        op.T_length_m =
            bodies.T.rig.skeleton.path_length(op.T_joints.front(), op.T_joints.back()) + op.T_end_J.norm();
        op.S_length_m = bodies.S.rig.skeleton.path_length(op.S_first, op.S_last) + op.S_end_J.norm();
        if (op.S_length_m < 1e-6 || op.T_length_m < 1e-6) continue;
        op.scale = op.T_length_m / op.S_length_m;
        op.is_placed = own.carry == Carry::place;
        op.share = own.tip_share.value_or(1.0);
        op.soften_from = std::min(own.soften_from.value_or(usual_soften_from), 0.9999);
        program.runs.push_back(std::move(op));
    }
}

namespace {

/// Bends joints that hang one on the other until the tip, which the last of them carries, is at the goal: damped least
/// squares. World places in `target` are kept up to date for these joints alone.
void bring_tip(std::span<const int> joints, Vec3 tip, const Vec3& goal, double length_m,
               TargetFrame& target) {
    const auto p = [&](size_t i) -> Vec3& { return target.p[size_t(joints[i])]; };
    const auto R = [&](size_t i) -> Quat& { return target.R[size_t(joints[i])]; };
    const size_t count = joints.size();
    constexpr int most_steps = 24;
    const double damping = 0.02 * length_m;
    const double most_step = 0.3 * length_m;
    for (int step = 0; step < most_steps; ++step) {
        Vec3 error = goal - tip;
        const double off = error.norm();
        if (off < 1e-7 * length_m) break;
        if (off > most_step) error *= most_step / off;
        // J_i = -[r_i]x of each joint's turn, r_i from the joint to the tip.
        Mat3 JJ = std::min(1.0, off / length_m) * damping * damping * Mat3::Identity();
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

void reach_run(const Program& program, const RunOp& op, const SourceFrame& source, TargetFrame& target) {
    const auto p = [&](size_t i) -> Vec3& { return target.p[size_t(op.T_joints[i])]; };
    const auto R = [&](size_t i) -> Quat& { return target.R[size_t(op.T_joints[i])]; };
    const size_t count = op.T_joints.size();
    const Vec3 start = p(0);
    const Vec3 tip = p(count - 1) + R(count - 1) * op.T_end_J;
    const Vec3& S_start = source.p[size_t(op.S_first)];
    const Vec3 S_tip = source.p[size_t(op.S_last)] + source.R[size_t(op.S_last)] * op.S_end_J;
    Vec3 asked = op.is_placed ? Vec3(program.map(S_tip) - start) : Vec3(op.scale * (S_tip - S_start));
    asked = tip - start + op.share * (asked - (tip - start));
    const double wanted = asked.norm() / op.T_length_m;
    if (wanted < 1e-9) return;
    const Vec3 goal =
        start +
        asked / wanted * soften_stretch(wanted, (S_tip - S_start).norm() / op.S_length_m, op.soften_from);
    bring_tip(op.T_joints, tip, goal, op.T_length_m, target);
}

}  // namespace nb
