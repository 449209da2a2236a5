#include "core/solve/limb.hpp"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "core/body/measures.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

/// The roles of a limb's start, middle and tip; of two bodies on four legs the hock comes before the tip.
void compile_limbs(const PairedBodies& bodies, Program& program) {
    const bool has_hock = bodies.S.roles.is_four_legged() && bodies.T.roles.is_four_legged();
    for (size_t i = 0; i < limb_count; ++i) {
        const std::string limb = limb_names[i];
        const ChainSettings& own = bodies.set(limb);
        if (own.is_left_out.value_or(false)) continue;
        const bool is_leg = i < 2;
        const std::string side(side_suffix(role_side(limb)));
        std::vector<std::string> roles =
            is_leg ? std::vector<std::string>{"thigh" + side, "shin" + side, "foot" + side}
                   : std::vector<std::string>{"upperarm" + side, "forearm" + side, "hand" + side};
        LimbOp op;
        op.limb = i;
        const std::string tip = (is_leg ? "toe" : "paw") + side;
        if (has_hock && bodies.S.roles.joint(tip) >= 0 && bodies.T.roles.joint(tip) >= 0) {
            op.T_hock = bodies.T.roles.joint(roles.back());
            roles.back() = tip;
        }
        std::array<int, 3> S{};
        std::array<int, 3> T{};
        for (size_t r = 0; r < 3; ++r) {
            S[r] = bodies.S.roles.joint(roles[r]);
            T[r] = bodies.T.roles.joint(roles[r]);
        }
        if (*std::min_element(S.begin(), S.end()) < 0 || *std::min_element(T.begin(), T.end()) < 0) continue;
        std::tie(op.S_start, op.S_mid, op.S_tip) = std::tuple{S[0], S[1], S[2]};
        std::tie(op.T_start, op.T_mid, op.T_tip) = std::tuple{T[0], T[1], T[2]};
        op.S_hinge_plain = is_leg ? op.S_mid : op.S_start;
        op.S_hinge =
            !is_leg && bodies.gathered(op.S_start) >= 0 ? bodies.gathered(op.S_start) : op.S_hinge_plain;
        op.S_hinge0_inverse = bodies.S_R0[size_t(op.S_hinge)].conjugate();
        op.S_hinge_plain0_inverse = bodies.S_R0[size_t(op.S_hinge_plain)].conjugate();
        const auto hinge = bodies.S.rest.hinges.find(limb);
        if (hinge == bodies.S.rest.hinges.end()) continue;
        // The hinge goes with the rest its rotation is counted from.
        op.n0 = bodies.S_R0[size_t(op.S_start)] * bodies.S.rest.R_WJ0[size_t(op.S_start)].conjugate() *
                hinge->second.n_W;
        if (op.T_hock >= 0) {
            // Seen from mid to paw the limb may bend the other way than its own hinge.
            const auto& p0 = bodies.T.rest.p_WJ0;
            const Vec3 upper = p0[size_t(op.T_mid)] - p0[size_t(op.T_start)];
            const Vec3 lower = p0[size_t(op.T_tip)] - p0[size_t(op.T_mid)];
            if (op.n0.dot(upper.cross(lower)) < 0.0) op.n0 = -op.n0;
        }
        op.scale = is_leg ? leg_length(bodies.T_tree, bodies.T.roles) /
                                leg_length(bodies.S.rig.skeleton, bodies.S.roles)
                          : arm_length(bodies.T_tree, bodies.T.roles) /
                                arm_length(bodies.S.rig.skeleton, bodies.S.roles);
        // What stands goes as far as the body travels.
        if ((is_leg && bodies.settings.scale) || (has_hock && !is_leg)) op.scale = program.map.k;
        if (bodies.T.rig.skeleton.path_length(op.T_start, op.T_tip) < 1e-6 ||
            bodies.S.rig.skeleton.path_length(op.S_start, op.S_tip) < 1e-6)
            continue;
        op.is_standing = is_leg || bodies.T.roles.is_four_legged();
        if (op.is_standing) {
            op.S_over_m = bodies.S.rest.p_WJ0[size_t(op.S_tip)].y();
            op.T_over_m = bodies.T.rest.p_WJ0[size_t(op.T_tip)].y();
        }
        const Carry carry = own.carry.value_or(Carry::angles);
        op.is_placed = carry == Carry::place;
        op.share = carry == Carry::angles ? 0.0 : own.tip_share.value_or(1.0);
        op.soften_from = std::min(own.soften_from.value_or(usual_soften_from), 0.9999);
        op.pole_rad = own.pole_rad.value_or(0.0);
        op.trunk_gives = is_leg ? 0.0 : own.trunk_gives.value_or(0.0);
        if (!is_leg) op.shoulder = compile_shoulder(bodies, role_side(limb), own);
        program.limbs.push_back(op);
    }
}

void compile_ends(const PairedBodies& bodies, Program& program) {
    const Soles soles = soles_of(bodies.T);
    const Soles S_soles = soles_of(bodies.S);
    for (size_t i = 0; i < limb_count; ++i) {
        if (!soles[i] || !S_soles[i] || soles[i]->end != S_soles[i]->end) continue;
        EndOp& end = program.ends[i];
        end.sole = *soles[i];
        end.S_sole = *S_soles[i];
        for (size_t r = 0; r < program.limbs.size(); ++r)
            if (program.limbs[r].limb == i && program.limbs[r].T_tip == end.sole.ankle) end.limb = int(r);
        if (end.limb < 0) continue;
        end.base = program.limbs[size_t(end.limb)].T_start;
        for (int j = end.base; j >= 0 && j != program.body.hips; j = bodies.T_tree.parents[size_t(j)])
            if (program.angles[size_t(j)].kind != AngleOp::Kind::follow) end.base = j;
        end.hips_give = i < 2 || bodies.T.roles.is_four_legged()
                            ? bodies.set(limb_names[i]).start_gives.value_or(1.0)
                            : 0.0;
    }
}

Vec3 reach_goal(const Program& program, const LimbOp& op, std::span<const Vec3> source_p,
                const Vec3& target_start) {
    const Vec3& tip = source_p[size_t(op.S_tip)];
    if (op.is_placed) {
        const Vec3 place = program.map(tip);
        return {place.x(), op.T_over_m + program.map.k * (tip.y() - op.S_over_m), place.z()};
    }
    return target_start + op.scale * (tip - source_p[size_t(op.S_start)]);
}

double source_stretch(const LimbOp& op, std::span<const Vec3> source_p) {
    const Vec3& start = source_p[size_t(op.S_start)];
    const Vec3& mid = source_p[size_t(op.S_mid)];
    const Vec3& tip = source_p[size_t(op.S_tip)];
    const double length = (mid - start).norm() + (tip - mid).norm();
    return length < 1e-9 ? 0.0 : (tip - start).norm() / length;
}

Vec3 hinge_of(const Program& program, const LimbOp& op, const SourceFrame& source) {
    const bool is_gathered = program.passes.gather;
    return source.R[size_t(is_gathered ? op.S_hinge : op.S_hinge_plain)] *
           ((is_gathered ? op.S_hinge0_inverse : op.S_hinge_plain0_inverse) * op.n0);
}

void reach_limb(const Program& program, const LimbOp& op, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection::Limb* held) {
    if (op.is_still) return;
    const double hold = held ? held->hold : 0.0;
    const double share = std::max(op.share, hold);
    const bool has_shoulder = op.shoulder.has_share();
    const Vec3 start_moved = held ? held->start_m : Vec3(Vec3::Zero());
    const bool is_moved =
        held && op.is_standing && (held->ankle_m != Vec3::Zero() || start_moved != Vec3::Zero());
    if (share <= 0.0 && op.pole_rad == 0.0 && !has_shoulder && !is_moved) return;
    const Vec3& start = target.p[size_t(op.T_start)];
    const Vec3 upper = target.p[size_t(op.T_mid)] - start;
    const Vec3 lower = target.p[size_t(op.T_tip)] - target.p[size_t(op.T_mid)];
    const Vec3 by_angles = target.p[size_t(op.T_tip)];
    const Vec3 goal = reach_goal(program, op, source.p, start);
    if (has_shoulder) raise_shoulder(op.shoulder, op.T_start, upper, target);
    const double T_length = upper.norm() + lower.norm();
    const double S_stretch = source_stretch(op, source.p);
    if (T_length < 1e-9 || S_stretch <= 0.0) return;
    const auto asked_from = [&](const Vec3& from) {
        // A place in the world stays when the hips move the start; what is seen from the start would not.
        Vec3 asked = op.is_placed ? goal : Vec3(goal - start_moved);
        const Vec3 own = op.is_standing ? Vec3(by_angles - start_moved) : by_angles;
        if (share < 1.0) asked = own + share * (asked - own);
        if (held) asked += held->ankle_m;
        return Vec3(asked - from);
    };
    const auto stretch_for = [&](double wanted) {
        if (share <= 0.0 && !has_shoulder && !is_moved) return wanted;
        const double stretch = soften_stretch(wanted, S_stretch, op.soften_from);
        return stretch + hold * (soften_beyond(wanted, held_stretch(S_stretch, op.T_hock >= 0)) - stretch);
    };
    Vec3 asked = asked_from(start);
    double wanted = asked.norm() / T_length;
    if (wanted < 1e-9) return;
    double stretch = stretch_for(wanted);
    if (op.shoulder.gives > 0.0 && op.shoulder.T_clavicle >= 0 && wanted > stretch) {
        bring_shoulder(op.shoulder, op.T_start,
                       op.shoulder.gives * (wanted - stretch) * T_length * asked.normalized(), target);
        asked = asked_from(start);
        wanted = asked.norm() / T_length;
        stretch = stretch_for(wanted);
    }
    const Vec3 n = hinge_of(program, op, source);
    const Quat bend = exp_rotation(bend_for_distance(upper, lower, n, stretch * T_length) * n);
    const Vec3 bent_tip = upper + bend * lower;
    if (bent_tip.norm() < 1e-9) return;
    const Mat3 from = frame_from(bent_tip, n);
    const Vec3 aside = op.pole_rad == 0.0 ? n : Vec3(exp_rotation(op.pole_rad * asked.normalized()) * n);
    const Mat3 to = frame_from(asked, aside);
    const Quat turn(Mat3(to * from.transpose()));
    turn_joint(target, op.T_start, turn);
    turn_joint(target, op.T_mid, turn * bend);
    if (op.T_hock >= 0) turn_joint(target, op.T_hock, turn * bend);
}

void move_tip(const Program& program, const LimbOp& op, const Vec3& by, const SourceFrame& source,
              TargetFrame& target) {
    const Vec3 start = target.p[size_t(op.T_start)];
    const Vec3 upper = target.p[size_t(op.T_mid)] - start;
    const Vec3 lower = target.p[size_t(op.T_tip)] - target.p[size_t(op.T_mid)];
    const double length = upper.norm() + lower.norm();
    const Vec3 now = upper + lower;
    const Vec3 to = now + by;
    const double wanted = to.norm() / std::max(length, 1e-9);
    if (length < 1e-9 || wanted < 1e-6) return;
    // A limb that is bent goes on bending in its own plane.
    Vec3 n = upper.cross(lower);
    n = n.norm() > 1e-3 * length * length ? Vec3(n.normalized()) : hinge_of(program, op, source);
    const double stretch = soften_moved(wanted, now.norm() / length);
    const TwoBoneTurns turns = bend_toward(upper, lower, n, to, stretch * length);
    turn_joint(target, op.T_start, turns.upper);
    turn_joint(target, op.T_mid, turns.lower);
    if (op.T_hock >= 0) turn_joint(target, op.T_hock, turns.lower);
}

}  // namespace nb
