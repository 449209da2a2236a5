#include "core/solve/hold.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/contact/touches.hpp"
#include "core/math/hermite.hpp"
#include "core/solve/beside.hpp"
#include "core/solve/body.hpp"
#include "core/solve/lean.hpp"
#include "core/solve/near.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"
#include "core/solve/shoulder.hpp"
#include "core/solve/stretch.hpp"

namespace nb {

namespace {

constexpr int most_rounds = 4;
// Of an arm's length: what it nears beyond it nears softly. Sooner, and hands would lie beside what they reach.
constexpr double softly_from = 0.97, softly_to = 0.9999;
constexpr double on_thing_m = 1e-5;
constexpr double take_over_s = 0.5;
constexpr double settle_s = 0.1;  // in which a thing that hands cannot reach goes over to them

/// 0 at the begin of the hold to 1 `over_s` on, and back.
double held_share(const HeldThing::Hand& hand, double t_s, double over_s) {
    const HandSpan& when = hand.when;
    if (!when.contains(t_s)) return 0.0;
    const double over = std::min(over_s, 0.5 * (when.to_s - when.from_s));
    const double in = when.is_from_begin ? 1.0 : std::clamp((t_s - when.from_s) / over, 0.0, 1.0);
    const double out = when.is_to_end ? 1.0 : std::clamp((when.to_s - t_s) / over, 0.0, 1.0);
    return smooth_step(std::min(in, out));
}

Vec3 grip_of(const HeldThing::Hand& hand, std::span<const Quat> R, std::span<const Vec3> p) {
    return p[size_t(hand.T_hand)] + R[size_t(hand.T_hand)] * hand.on_hand_J;
}

/// By the hands, each by its share; `share_over_s`: within which a hand takes over. In a scene where that has it, but `alone`.
Rigid by_hands(const Program& program, const HeldThing& thing, const SourceFrame& source,
               std::span<const Quat> T_R, std::span<const Vec3> T_p, double share_over_s,
               bool alone = false) {
    if (const RigidTrack* track = program.beside ? program.beside->thing(thing.S_thing) : nullptr;
        track && !alone)
        return track->at(source.t_s);
    const Quat& R_S = source.R[size_t(thing.S_thing)];
    Rigid X{R_S, program.map(source.p[size_t(thing.S_thing)])};
    if (thing.leads) return X;
    std::array<const HeldThing::Hand*, 2> two{};
    std::array<double, 2> of_two{};
    double all = 0.0, most = 0.0;
    for (const HeldThing::Hand& hand : thing.hands) {
        const double u = held_share(hand, source.t_s, share_over_s);
        all += u;
        most = std::max(most, u);
        const size_t at = program.limbs[hand.limb].limb == 2 ? 0 : 1;
        if (u <= of_two[at]) continue;
        of_two[at] = u;
        two[at] = &hand;
    }
    if (all <= 0.0) return X;
    if (two[0] && two[1]) {
        const Vec3 own = thing.scale * (R_S * (two[0]->on_thing_J - two[1]->on_thing_J));
        const Vec3 wanted = grip_of(*two[0], T_R, T_p) - grip_of(*two[1], T_R, T_p);
        if (own.norm() > 1e-3 && wanted.norm() > 1e-3)
            X.R =
                exp_rotation(std::min(of_two[0], of_two[1]) * log_rotation(shortest_arc(own, wanted))) * R_S;
    }
    Vec3 sum = Vec3::Zero();
    for (const HeldThing::Hand& hand : thing.hands)
        if (const double u = held_share(hand, source.t_s, share_over_s); u > 0.0)
            sum += u * (grip_of(hand, T_R, T_p) - X.R * (thing.scale * hand.on_thing_J));
    X.p += most * (sum / all - X.p);
    return X;
}

}  // namespace

namespace {

template <typename Which>
double most_led(const Program& program, size_t limb, double t_s, const Which& which) {
    double most = 0.0;
    if (!program.passes.hold) return most;
    for (const HeldThing& thing : program.things)
        for (const HeldThing::Hand& hand : thing.hands)
            if (program.limbs[hand.limb].limb == limb && which(thing))
                most = std::max(most, hand.when.led(t_s, hold_lead_s));
    return most;
}

}  // namespace

double hold_led(const Program& program, size_t limb, double t_s) {
    return most_led(program, limb, t_s, [](const HeldThing&) { return true; });
}

double shared_led(const Program& program, size_t limb, double t_s) {
    if (!program.beside) return 0.0;
    return most_led(program, limb, t_s,
                    [&](const HeldThing& thing) { return program.beside->thing(thing.S_thing) != nullptr; });
}

std::array<GripMap, 2> grip_maps(const PairedBodies& bodies, const BodySurface& S_surface,
                                 const BodySurface& T_surface, const Program& program) {
    std::array<GripMap, 2> maps;
    for (const LimbOp& limb : program.limbs) {
        if (limb.limb < 2) continue;
        GripMap& map = maps[limb.limb - 2];
        map.S_R0 = bodies.S_R0[size_t(limb.S_tip)];
        map.T_R0 = bodies.T_R0[size_t(limb.T_tip)];
        const Side side = limb.limb == 2 ? Side::left : Side::right;
        const std::vector<Vec3> S = hand_points(bodies.S, S_surface, side);
        const std::vector<Vec3> T = hand_points(bodies.T, T_surface, side);
        if (S.empty() || T.empty()) continue;
        map.S_palm_J = S.front();
        map.T_palm_J = T.front();
        map.by_length = T[1].norm() / std::max(1e-3, S[1].norm());
    }
    return maps;
}

namespace {

/// In a scene hands are led longer to what is far off.
void lead_as_scene_has(const Beside* beside, const Grip& grip, HandSpan& when) {
    if (!beside) return;
    for (const Beside::Thing& shared : beside->things)
        for (const Beside::Thing::Lead& lead : shared.leads)
            if (shared.S_thing == grip.thing && lead.limb == grip.limb && lead.from_s == when.from_s) {
                when.more_in_s = lead.more_in_s;
                when.more_out_s = lead.more_out_s;
            }
}

}  // namespace

void compile_holds(const PairedBodies& bodies, const Take& take, const HandMarks& marks,
                   const BodySurface& T_surface, Program& program) {
    if (marks.grips.empty() || bodies.T.roles.is_four_legged()) return;
    const std::array<GripMap, 2> maps = grip_maps(bodies, marks.surface, T_surface, program);
    for (const Grip& grip : marks.grips) {
        const auto limb = std::find_if(program.limbs.begin(), program.limbs.end(),
                                       [&](const LimbOp& op) { return op.limb == grip.limb; });
        if (limb == program.limbs.end()) continue;
        if (program.things.empty() || program.things.back().S_thing != grip.thing) {
            program.things.emplace_back();
            HeldThing& thing = program.things.back();
            thing.S_thing = grip.thing;
            thing.leads = take.contacts.rule_of(bodies.S.rig.skeleton.names[size_t(grip.thing)]).leads;
            thing.scale = thing_scale(program, grip.thing);
        }
        HeldThing::Hand hand;
        hand.limb = size_t(limb - program.limbs.begin());
        hand.T_hand = limb->T_tip;
        hand.on_hand_J = maps[grip.limb - 2].on_target(grip.on_hand_J);
        hand.on_thing_J = grip.on_thing_J;
        hand.when = span_of(grip.first, grip.last, take);
        lead_as_scene_has(program.beside.get(), grip, hand.when);
        program.things.back().hands.push_back(hand);
    }
}

namespace {
/// The wrist to `to`; an arm that has to go farther than it can nears its whole length softly, and no round takes that
/// back: its elbow and what the clavicle gives come to their ends without a jerk. An arm that is as straight stays so.
void bring_softly(const Program& program, const LimbOp& limb, const Vec3& to, const SourceFrame& source,
                  TargetFrame& target) {
    const auto p = [&](int joint) -> const Vec3& { return target.p[size_t(joint)]; };
    const double length = (p(limb.T_mid) - p(limb.T_start)).norm() + (p(limb.T_tip) - p(limb.T_mid)).norm();
    if (length < 1e-9) return;
    const double free = std::clamp((p(limb.T_tip) - p(limb.T_start)).norm() / length, softly_from, softly_to);
    const auto reached_m = [&](const Vec3& d) { return length * soften_beyond(d.norm() / length, free); };
    if (const Vec3 d = to - p(limb.T_start); limb.shoulder.T_clavicle >= 0 && d.norm() > reached_m(d)) {
        bring_shoulder(limb.shoulder, limb.T_start,
                       clavicle_gives_hands * (d.norm() - reached_m(d)) * d.normalized(), target);
        follow_below(program, source, target, limb.shoulder.T_clavicle);
    }
    for (int round = 0; round < most_rounds; ++round) {
        const Vec3 d = to - p(limb.T_start);
        if (d.norm() < 1e-6) break;
        const Vec3 by = p(limb.T_start) + reached_m(d) * d.normalized() - p(limb.T_tip);
        if (by.norm() < on_thing_m) break;
        move_tip(program, limb, by, source, target);
        follow_below(program, source, target, limb.T_start);
    }
}

}  // namespace

void pass_hold(const Program& program, const SourceFrame& source, TargetFrame& target) {
    if (!program.passes.hold) return;
    for (const HeldThing& thing : program.things) {
        if (std::none_of(thing.hands.begin(), thing.hands.end(), [&](const HeldThing::Hand& hand) {
                return hand.when.led(source.t_s, hold_lead_s) > 0.0;
            }))
            continue;
        const Rigid X = by_hands(program, thing, source, target.R, target.p, take_over_s);
        const auto each = [&](const auto& put) {
            for (const HeldThing::Hand& hand : thing.hands)
                if (const double w = hand.when.led(source.t_s, hold_lead_s); w > 0.0)
                    put(program.limbs[hand.limb],
                        Vec3(target.p[size_t(hand.T_hand)] +
                             w * (X * (thing.scale * hand.on_thing_J) - grip_of(hand, target.R, target.p))));
        };
        // At most all hands that hold it within one lead.
        std::array<LeanAsk, limb_count> asks;
        size_t count = 0;
        each([&](const LimbOp& limb, const Vec3& wrist) {
            if (limb.trunk_gives > 0.0 && count < asks.size()) asks[count++] = {&limb, wrist};
        });
        lean_trunk(program, {asks.data(), count}, source, target);
        each([&](const LimbOp& limb, const Vec3& wrist) {
            bring_softly(program, limb, wrist, source, target);
        });
    }
}

double thing_scale(const Program& program, int S_thing) {
    for (const auto& [thing, scale] : program.scaled_things)
        if (thing == S_thing) return scale;
    return 1.0;
}

Rigid thing_beside(const Program& program, int S_thing, const SourceFrame& source,
                   const SourceFrame& target) {
    if (const RigidTrack* track = program.beside ? program.beside->thing(S_thing) : nullptr)
        return track->at(source.t_s);
    for (const HeldThing& thing : program.things)
        if (program.passes.hold && thing.S_thing == S_thing)
            return by_hands(program, thing, source, target.R, target.p, settle_s);
    return {source.R[size_t(S_thing)], program.map(source.p[size_t(S_thing)])};
}

ThingInHands thing_in_hands(const Program& program, int S_thing, const SourceFrame& source,
                            const SourceFrame& target) {
    ThingInHands held;
    for (const HeldThing& thing : program.things) {
        if (!program.passes.hold || thing.S_thing != S_thing) continue;
        for (const HeldThing::Hand& hand : thing.hands)
            held.share = std::max(held.share, held_share(hand, source.t_s, take_over_s));
        held.X = by_hands(program, thing, source, target.R, target.p, settle_s, true);
    }
    return held;
}

}  // namespace nb
