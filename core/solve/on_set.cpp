#include "core/solve/on_set.hpp"

#include <algorithm>

#include "core/contact/touches.hpp"
#include "core/math/two_bones.hpp"
#include "core/solve/beside.hpp"
#include "core/solve/body.hpp"
#include "core/solve/hand_shifts.hpp"
#include "core/solve/hold.hpp"
#include "core/solve/lean.hpp"
#include "core/solve/near.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"
#include "core/surface/hand_points.hpp"

namespace nb {

namespace {

constexpr double soft_from = 0.94;  // stretch of an arm from which it is eased
constexpr double hinge_weight = 0.01;

bool is_gripped(const HandMarks& marks, const Contact& touch, size_t limb, int thing) {
    return thing >= 0 && std::any_of(marks.grips.begin(), marks.grips.end(), [&](const Grip& grip) {
               return grip.thing == thing && grip.limb == limb && grip.first < touch.last &&
                      grip.last > touch.first;
           });
}

}  // namespace

void compile_on_set(const PairedBodies& bodies, const Take& take, const HandMarks& marks,
                    const BodySurface& T_surface, Program& program) {
    if (bodies.S.roles.is_four_legged() || bodies.T.roles.is_four_legged()) return;
    for (const Contact& touch : marks.touches) {
        const auto point = hand_point_index(role_part(touch.point));
        if (!touch.is_sure_touch() || touch.is_place() || !point || bodies.S.roles.joint(touch.on) >= 0)
            continue;
        const Side side = role_side(touch.point);
        const auto limb = std::find_if(program.limbs.begin(), program.limbs.end(), [&](const LimbOp& op) {
            return op.limb >= 2 && role_side(limb_names[op.limb]) == side;
        });
        const int thing = bodies.S.rig.skeleton.find(touch.on);
        if (limb == program.limbs.end() || is_gripped(marks, touch, limb->limb, thing)) continue;
        const std::vector<Vec3> S = hand_points(bodies.S, marks.surface, side);
        const std::vector<Vec3> T = hand_points(bodies.T, T_surface, side);
        if (S.size() <= *point || T.size() <= *point) continue;
        program.on_set.push_back({size_t(limb - program.limbs.begin()), limb->S_tip, limb->T_tip, S[*point],
                                  T[*point], thing, span_of(touch.first, touch.last, take)});
    }
}

void compile_beside(const PairedBodies& bodies, Program& program) {
    if (!program.beside) return;
    for (size_t i = 0; i < program.beside->hands.size(); ++i)
        for (size_t limb = 0; limb < program.limbs.size(); ++limb) {
            const Beside::Hand& hand = program.beside->hands[i];
            const LimbOp& op = program.limbs[limb];
            if (op.limb != hand.limb) continue;
            SetHand on{limb, op.S_tip, op.T_tip, Vec3::Zero(), Vec3::Zero(), -1, hand.when, int(i)};
            for (int j = 0; j < bodies.T_tree.size(); ++j)
                if (bodies.T_tree.is_ancestor(op.T_tip, j)) on.T_below.push_back(j);
            program.on_set.push_back(std::move(on));
        }
}

namespace {

/// Where the wrist has to be for its point to be where it lies.
Vec3 wrist_on_set(const Program& program, const SetHand& hand, const SourceFrame& source,
                  const TargetFrame& target) {
    if (hand.beside >= 0) return program.beside->hands[size_t(hand.beside)].X_WH.at(source.t_s).p;
    const size_t S_hand = size_t(hand.S_hand);
    const Vec3 x = source.p[S_hand] + source.R[S_hand] * hand.S_point_J;
    Vec3 goal = program.map(x);
    if (hand.S_thing >= 0) {
        const Vec3& thing = source.p[size_t(hand.S_thing)];
        goal = program.map(thing) + thing_scale(program, hand.S_thing) * (x - thing);
    }
    return goal - target.R[size_t(hand.T_hand)] * hand.T_point_J;
}

}  // namespace

bool lies_on_set(const Program& program, size_t limb, double t_s) {
    return program.passes.hold &&
           std::any_of(program.on_set.begin(), program.on_set.end(), [&](const SetHand& hand) {
               return program.limbs[hand.limb].limb == limb && hand.when.contains(t_s);
           });
}

bool lies_on_other(const Program& program, size_t limb, double t_s) {
    return program.passes.hold &&
           std::any_of(program.on_set.begin(), program.on_set.end(), [&](const SetHand& hand) {
               return hand.beside >= 0 && program.limbs[hand.limb].limb == limb && hand.when.contains(t_s);
           });
}

namespace {

template <typename Which>
double most_led(const Program& program, size_t limb, double t_s, double lead_s, const Which& which) {
    double most = 0.0;
    if (!program.passes.hold) return most;
    for (const SetHand& hand : program.on_set)
        if (program.limbs[hand.limb].limb == limb && which(hand))
            most = std::max(most, hand.when.led(t_s, lead_s));
    return most;
}

}  // namespace

double on_arm_led(const Program& program, size_t limb, double t_s) {
    return most_led(program, limb, t_s, touch_lead_s, [&](const SetHand& hand) {
        return hand.beside >= 0 && program.beside->hands[size_t(hand.beside)].is_on_arm;
    });
}

double on_other_led(const Program& program, size_t limb, double t_s) {
    return most_led(program, limb, t_s, near_other_s, [](const SetHand& hand) { return hand.beside >= 0; });
}

double on_set_led(const Program& program, size_t limb, double t_s) {
    return most_led(program, limb, t_s, touch_lead_s + touch_smooth_s, [](const SetHand&) { return true; });
}

void put_on_set(const Program& program, const LimbOp& arm, const Vec3& to, const SourceFrame& source,
                TargetFrame& target) {
    const auto p = [&](int joint) -> const Vec3& { return target.p[size_t(joint)]; };
    const double length = (p(arm.T_mid) - p(arm.T_start)).norm() + (p(arm.T_tip) - p(arm.T_mid)).norm();
    if (length < 1e-6 || (to - p(arm.T_start)).norm() < 1e-6) return;
    const double now = std::min(0.9999, (p(arm.T_tip) - p(arm.T_start)).norm() / length);
    const double free = std::max(soft_from, now);
    const auto stretch = [&] { return soften_beyond((to - p(arm.T_start)).norm() / length, free); };
    const auto missing = [&] {
        const Vec3 away = to - p(arm.T_start);
        return Vec3((away.norm() - stretch() * length) * away.normalized());
    };
    if (arm.shoulder.T_clavicle >= 0) {
        bring_shoulder(arm.shoulder, arm.T_start, arm.shoulder.gives * missing(), target);
        follow_below(program, source, target, arm.shoulder.T_clavicle);
    }
    const Vec3 upper = p(arm.T_mid) - p(arm.T_start), lower = p(arm.T_tip) - p(arm.T_mid);
    // In its own plane; of a straight arm, which has none, about the hinge.
    const Vec3 n = upper.cross(lower) / (length * length) + hinge_weight * hinge_of(program, arm, source);
    const TwoBoneTurns turns =
        bend_toward(upper, lower, n.normalized(), to - p(arm.T_start), stretch() * length);
    turn_joint(target, arm.T_start, turns.upper);
    turn_joint(target, arm.T_mid, turns.lower);
    follow_below(program, source, target, arm.T_start);
}

HandShift set_shift(const Program& program, size_t limb, const SourceFrame& source, TargetFrame& target) {
    if (!program.passes.hold) return {};
    for (const SetHand& hand : program.on_set) {
        const LimbOp& arm = program.limbs[hand.limb];
        if (arm.limb != limb || !hand.when.contains(source.t_s)) continue;
        const Vec3 before = target.p[size_t(hand.T_hand)];
        const Quat R_before = target.R[size_t(hand.T_hand)];
        if (hand.beside >= 0) {
            const Quat R = program.beside->hands[size_t(hand.beside)].X_WH.at(source.t_s).R;
            turn_on_set(program, limb, R * R_before.conjugate(), source, target);
        }
        const LeanAsk ask{&arm, wrist_on_set(program, hand, source, target)};
        lean_trunk(program, {&ask, 1}, source, target);
        put_on_set(program, arm, ask.to, source, target);
        const Quat R_hips = target.R[size_t(program.body.hips)].conjugate();
        const Vec3 by = target.p[size_t(hand.T_hand)] - before;
        if (hand.beside < 0) return {R_hips * by, Vec3::Zero()};
        return {R_hips * by, R_hips * log_rotation(target.R[size_t(hand.T_hand)] * R_before.conjugate())};
    }
    return {};
}

void turn_on_set(const Program& program, size_t limb, const Quat& by, const SourceFrame& source,
                 TargetFrame& target) {
    for (const SetHand& hand : program.on_set) {
        if (hand.beside < 0 || program.limbs[hand.limb].limb != limb) continue;
        for (const int j : hand.T_below) turn_joint(target, j, by);
        follow_below(program, source, target, hand.T_hand);
        return;
    }
}

}  // namespace nb
