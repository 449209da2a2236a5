#include "core/solve/near.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <span>

#include "core/body/measures.hpp"
#include "core/contact/touches.hpp"
#include "core/math/hermite.hpp"
#include "core/solve/body.hpp"
#include "core/solve/hand_shifts.hpp"
#include "core/solve/lean.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"
#include "core/surface/capsule.hpp"

namespace nb {

namespace {

constexpr double touching_m = 0.03;
constexpr double far_m = 0.12;
constexpr double rules_within_m = 0.02;
constexpr double nothing_m = 1e-9;
constexpr double exact_m = 1e-5;
constexpr double hand_settled_m = 5e-5;  // a round of a whole hand
constexpr double clear_m = 0.008;
constexpr double buried_m = 0.01;
// Sink in where it does not touch, before it lifts a hand off what that touches.
constexpr double forearm_may_m = 0.012;
constexpr double reached_m = 0.01, not_reached_m = 0.05;
// Of how thick a part is: deeper than that its skin where a hand lies lowest may look to the wrong side.
constexpr double deep_from = 0.7, deep_to = 1.1;
constexpr double most_turn_rad = 0.6;
constexpr double softness_m = 0.003;  // of the least height over a hand
constexpr int whole_hand_rounds = 3, far_rounds = 8;

/// Share w at a height over the skin, at 175 cm.
double near_share(double h_m) {
    return smooth_step(std::clamp((far_m - h_m) / (far_m - touching_m), 0.0, 1.0));
}

/// 1 on the skin, 0 from where nearness begins to fall.
double touch_share(double h_m) {
    return smooth_step(std::clamp((touching_m - h_m) / (touching_m - 0.01), 0.0, 1.0));
}

std::vector<NearHand::Skin> arm_skin(const BodySurface& surface, Side side) {
    std::vector<NearHand::Skin> skin;
    for (const std::string role : {"hand", "forearm"}) {
        const PartSurface* part = surface.part(role + std::string(side_suffix(side)));
        if (!part) continue;
        NearHand::Skin& own = skin.emplace_back();
        own.joint = part->joint;
        for (const Vec3& u : part->samples_F) {
            own.points_J.push_back(part->X_JF * u);
            own.middle_J += own.points_J.back() / double(part->samples_F.size());
        }
        for (const Vec3& point : own.points_J)
            own.about_m = std::max(own.about_m, (point - own.middle_J).norm());
    }
    return skin;
}

}  // namespace

double NearHand::led(double t_s) const {
    double most = 0.0;
    for (const Touch& touch : touches)
        most = std::max(most, touch.when.led(t_s, touch_lead_s + touch_smooth_s));
    return most;
}

double NearHand::led(double t_s, size_t point, size_t S_part) const {
    double most = 0.0;
    for (const Touch& touch : touches)
        if (touch.point == point && touch.S_part == S_part)
            most = std::max(most, touch.when.led(t_s, touch_lead_s + touch_smooth_s));
    return most;
}

double touch_led(const Program& program, size_t limb, double t_s) {
    double most = 0.0;
    if (!program.near || !program.passes.touch) return most;
    for (const NearHand& hand : program.near->hands)
        if (program.limbs[hand.limb].limb == limb) most = std::max(most, hand.led(t_s));
    for (const NearElbow& elbow : program.near->elbows)
        if (program.limbs[elbow.limb].limb == limb)
            for (const NearElbow::Touch& touch : elbow.touches)
                most = std::max(most, touch.when.led(t_s, touch_lead_s));
    return most;
}

namespace {

NearElbow compile_elbow(const PairedBodies& bodies, const Take& take, const HandMarks& marks,
                        const NearProgram& near, const LimbOp& limb, size_t index) {
    NearElbow elbow;
    elbow.limb = index;
    const Side side = role_side(limb_names[limb.limb]);
    elbow.is_sole = limb.limb < 2;
    const auto point = elbow.is_sole ? sole_point : elbow_point;
    const auto S = point(near.S, side), T = point(near.T, side);
    if (!S || !T) return elbow;
    elbow.S_J = *S;
    elbow.T_J = *T;
    for (const Contact& touch : marks.touches) {
        if (!touch.is_sure_touch() || !(elbow.is_sole ? is_sole : is_elbow)(touch.point) ||
            role_side(touch.point) != side)
            continue;
        for (size_t s = 0; s < near.S.parts.size(); ++s)
            if (near.S.parts[s].role == touch.on)
                if (const auto pair = same_part(bodies.S, near.S, s, bodies.T, near.T))
                    elbow.touches.push_back({span_of(touch.first, touch.last, take), *pair});
    }
    return elbow;
}

}  // namespace

NearHand near_hand(const PairedBodies& bodies, const BodySurface& S, const BodySurface& T, const LimbOp& limb,
                   size_t index) {
    const Side side = role_side(limb_names[limb.limb]);
    NearHand hand;
    hand.limb = index;
    hand.S_hand = limb.S_tip;
    hand.T_hand = limb.T_tip;
    const std::vector<Vec3> S_points = hand_points(bodies.S, S, side);
    const std::vector<Vec3> T_points = hand_points(bodies.T, T, side);
    for (size_t p = 0; p < std::min(S_points.size(), T_points.size()); ++p)
        hand.points.push_back({S_points[p], T_points[p]});
    hand.S_skin = arm_skin(S, side);
    hand.T_skin = arm_skin(T, side);
    for (int j = 0; j < bodies.T_tree.size(); ++j)
        if (bodies.T_tree.is_ancestor(hand.T_hand, j)) hand.T_below.push_back(j);
    return hand;
}

void compile_near(const PairedBodies& bodies, const Take& take, const HandMarks& marks,
                  const BodySurface& T_surface, Program& program) {
    const auto is_on_skin = [&](const Contact& touch) {
        return touch.is_sure_touch() && bodies.S.roles.joint(touch.on) >= 0;
    };
    if (std::none_of(marks.touches.begin(), marks.touches.end(), is_on_skin) ||
        bodies.S.roles.is_four_legged() || bodies.T.roles.is_four_legged())
        return;
    auto near = std::make_shared<NearProgram>();
    near->S = marks.surface;
    near->T = T_surface;
    near->to_reference = reference_stature_m / std::max(0.01, stature(bodies.S.rig.skeleton, bodies.S.roles));
    near->by_stature = near->T.stature_m / std::max(0.01, near->S.stature_m);
    for (size_t i = 0; i < program.limbs.size(); ++i) {
        const LimbOp& limb = program.limbs[i];
        if (auto elbow = compile_elbow(bodies, take, marks, *near, limb, i); !elbow.touches.empty())
            near->elbows.push_back(std::move(elbow));
        if (limb.limb < 2) continue;
        const Side side = role_side(limb_names[limb.limb]);
        NearHand hand = near_hand(bodies, near->S, near->T, limb, i);
        for (size_t s = 0; s < near->S.parts.size(); ++s) {
            if (is_of_arm(near->S.parts[s].role, side)) continue;
            if (const auto pair = same_part(bodies.S, near->S, s, bodies.T, near->T))
                hand.parts.push_back(*pair);
        }
        for (const Contact& touch : marks.touches) {
            const auto named = hand_point_index(role_part(touch.point));
            if (!is_on_skin(touch) || role_side(touch.point) != side || !named) continue;
            const size_t point = *named;
            for (size_t s = 0; s < near->S.parts.size() && point < hand.points.size(); ++s)
                if (near->S.parts[s].role == touch.on)
                    hand.touches.push_back({span_of(touch.first, touch.last, take), point, s});
        }
        // The back of a hand counts where it touches alone.
        const bool has_back = std::any_of(hand.touches.begin(), hand.touches.end(),
                                          [](const NearHand::Touch& touch) { return touch.point == 2; });
        if (!has_back && hand.points.size() > 2) hand.points.resize(2);
        if (!hand.touches.empty() && !hand.points.empty() && !hand.parts.empty() && !hand.S_skin.empty() &&
            !hand.T_skin.empty())
            near->hands.push_back(std::move(hand));
    }
    if (!near->hands.empty() || !near->elbows.empty()) program.near = std::move(near);
}

void bring_arm(const Program& program, const LimbOp& limb, Vec3 by, const SourceFrame& source,
               TargetFrame& target) {
    if (by.norm() < nothing_m) return;
    const auto p = [&](int joint) -> const Vec3& { return target.p[size_t(joint)]; };
    int moved = limb.T_start;
    if (limb.shoulder.T_clavicle >= 0) {
        const Vec3 to = p(limb.T_tip) + by - p(limb.T_start);
        const double length =
            (p(limb.T_mid) - p(limb.T_start)).norm() + (p(limb.T_tip) - p(limb.T_mid)).norm();
        const double now = (p(limb.T_tip) - p(limb.T_start)).norm() / length;
        const double missing = to.norm() - soften_moved(to.norm() / length, now) * length;
        if (missing > 0.0) {
            const Vec3 tip = target.p[size_t(limb.T_tip)];
            bring_shoulder(limb.shoulder, limb.T_start, clavicle_gives_hands * missing * to.normalized(),
                           target);
            by += tip - p(limb.T_tip);
            moved = limb.shoulder.T_clavicle;
        }
    }
    move_tip(program, limb, by, source, target);
    follow_below(program, source, target, moved);
}

void bring_wrist(const Program& program, const LimbOp& limb, const Vec3& to, const SourceFrame& source,
                 TargetFrame& target) {
    for (int round = 0; round < whole_hand_rounds; ++round) {
        const Vec3 missing = to - target.p[size_t(limb.T_tip)];
        if (missing.norm() < exact_m) break;
        bring_arm(program, limb, missing, source, target);
    }
}

namespace {

/// A hand point near one part, in the source: found once a frame, used for turn and place.
struct Nearness {
    size_t point, T_part;
    double w;
    double touched;  ///< w at least
    double S_h_m;
    SurfacePlace place;  ///< on the target's part
    Quat turn;           ///< of the target's skin there beside the source's, world
};

Quat lie_in_world(const PartSurface& part, const Rigid& X_WF, const SurfacePlace& place) {
    return X_WF.R * Quat(part.lie(place));
}

SurfacePlace place_on_target(const NearProgram& near, const PartPair& pair, const SurfacePlace& at) {
    return place_on_target(near.S, near.T, pair, near.by_stature, at);
}

void find_near(const NearProgram& near, const NearHand& hand, const SourceFrame& source,
               const TargetFrame& target, double g, std::vector<Nearness>& found) {
    found.clear();
    const double far = far_m / near.to_reference;
    double least = far;
    for (size_t i = 0; i < hand.points.size(); ++i) {
        const Vec3 x = source.p[size_t(hand.S_hand)] + source.R[size_t(hand.S_hand)] * hand.points[i].S_J;
        for (const PartPair& pair : hand.parts) {
            const PartSurface& S = near.S.parts[pair.S];
            const PartSurface& T = near.T.parts[pair.T];
            const Rigid X_S = S.frame(source.R[size_t(S.joint)], source.p[size_t(S.joint)]);
            const Vec3 u = inverse(X_S) * x;
            const double touched = hand.led(source.t_s, i, pair.S);
            if (touched <= 0.0 && S.at_least_over(u) >= far) continue;
            const SurfacePlace at = S.place(u);
            const double w = g * near_share(at.h * near.to_reference);
            if (w <= 0.0 && touched <= 0.0) continue;
            const SurfacePlace to = place_on_target(near, pair, at);
            const Rigid X_T = T.frame(target.R[size_t(T.joint)], target.p[size_t(T.joint)]);
            found.push_back({i, pair.T, w, touched, at.h, to,
                             lie_in_world(T, X_T, to) * lie_in_world(S, X_S, at).conjugate()});
            least = std::min(least, at.h);
        }
    }
    // What is nearest rules over what lies behind it.
    for (Nearness& one : found)
        one.w = std::max(one.touched, one.w * std::exp(std::min(0.0, least - one.S_h_m) * near.to_reference /
                                                       rules_within_m));
}

/// The least height of a hand over a part, smoothly, and the point that has it, in the part's frame.
struct LeastHeight {
    double h_m = 0.0;
    Vec3 at_F = Vec3::Zero();
};

// Of `softness`: what lies that much over the lowest adds nothing to a least height.
constexpr double adds_nothing = 7.0;

/// `forearm_may`: its points count as so much higher, m. `enough`: over it the height need not be exact, m.
LeastHeight least_height(const PartSurface& part, const Rigid& X_WF, const std::vector<NearHand::Skin>& skins,
                         const SourceFrame& frame, double softness, double forearm_may, double enough) {
    struct Over {
        Vec3 u;
        double may, at_least;
    };
    std::array<Over, 2 * PartSurface::most_samples> all;
    size_t count = 0, first = 0;
    // All points at the lowest of heights lie by so much lower together.
    const double together = softness * std::log(double(all.size()));
    double at_least = 1e30;
    for (const NearHand::Skin& skin : skins) {
        const Rigid X_FJ = inverse(X_WF) * Rigid{frame.R[size_t(skin.joint)], frame.p[size_t(skin.joint)]};
        const double may = &skin == &skins.front() ? 0.0 : forearm_may;
        const double all_over = part.at_least_over(X_FJ * skin.middle_J) - skin.about_m + may;
        if (all_over > enough + together) {
            at_least = std::min(at_least, all_over);
            continue;
        }
        const Mat3 R = X_FJ.R.toRotationMatrix();
        for (const Vec3& point_J : skin.points_J) {
            Over& over = all[count];
            over.u = R * point_J + X_FJ.p;
            over.may = may;
            over.at_least = part.at_least_over_there(over.u) + may;
            if (over.at_least < all[first].at_least) first = count;
            ++count;
        }
    }
    if (count > 0) at_least = std::min(at_least, all[first].at_least);
    if (at_least > enough + together) return {at_least - together, Vec3::Zero()};
    // What may be lowest first: others then may need no look.
    std::swap(all[0], all[first]);
    std::array<double, 2 * PartSurface::most_samples> h{};
    size_t looked = 0;
    double least = 1e30;
    Vec3 lowest = Vec3::Zero();
    for (const Over& over : std::span(all).first(count)) {
        if (over.at_least > least + adds_nothing * softness) continue;
        h[looked] = part.height(over.u) + over.may;
        if (h[looked] < least) {
            least = h[looked];
            lowest = over.u;
        }
        ++looked;
    }
    double sum = 0.0;
    for (const double one : std::span(h).first(looked)) sum += std::exp((least - one) / softness);
    return {least - softness * std::log(sum), lowest};
}

}  // namespace

Vec3 by_whole_hand(const NearProgram& near, const NearHand& hand, const HandFrames& frames, WholeHand how,
                   std::vector<std::optional<double>>& in_source, double* deepest) {
    const auto& [source, target, S_on, T_on] = frames;
    // A way round that has no side is none.
    if (how.way == Vec3::Zero()) how.out_of_reach = 0.0;
    const double softness = softness_m / near.to_reference;
    const double clear = clear_m / near.to_reference;
    double all = 0.0;
    Vec3 by = Vec3::Zero();
    for (size_t i = 0; i < hand.parts.size(); ++i) {
        const PartSurface& S = near.S.parts[hand.parts[i].S];
        const PartSurface& T = near.T.parts[hand.parts[i].T];
        const Rigid X_S = S.frame(S_on.R[size_t(S.joint)], S_on.p[size_t(S.joint)]);
        const Rigid X_T = T.frame(T_on.R[size_t(T.joint)], T_on.p[size_t(T.joint)]);
        const double ratio = height_ratio(S, T, near.by_stature);
        if (!in_source[i])
            in_source[i] = least_height(S, X_S, hand.S_skin, source, softness, 0.0,
                                        std::max(touching_m / near.to_reference, clear / ratio))
                               .h_m;
        const double S_h = *in_source[i];
        const bool is_touched =
            hand.touches.empty() ||  // of a scene
            std::any_of(hand.touches.begin(), hand.touches.end(),
                        [&](const NearHand::Touch& touch) { return touch.S_part == hand.parts[i].S; });
        const double drawn = how.touches ? touch_share(S_h * near.to_reference) : 0.0;
        const double wanted = S_h * ratio;
        const double enough = drawn <= 0.0 ? std::min(wanted, clear) : is_touched ? 1e30 : wanted;
        const LeastHeight in_target =
            least_height(T, X_T, hand.T_skin, target, softness,
                         is_touched ? 0.0 : forearm_may_m / near.to_reference, enough);
        // What sinks in deeper than a centimetre tells little of where it lies.
        const double least = -buried_m / near.to_reference;
        const double missing = std::max(wanted, least) - std::max(in_target.h_m, least);
        // What is not touched draws no hand: it keeps it off.
        const double acts = is_touched ? 1.0 : std::clamp(missing / softness, 0.0, 1.0);
        const double touch = acts * drawn;
        const double sunk = std::max(0.0, std::min(wanted, clear) - in_target.h_m);
        const double share = std::max(touch, sunk / (sunk + softness));
        if (share <= 0.0) continue;
        all += share;
        const Vec3 out = X_T.R * T.lie(T.place(in_target.at_F)).col(0);
        const double to_skin = touch * missing + (1.0 - touch) * sunk;
        const Vec3 reached = to_skin * out;
        const Vec3 not_reached = sunk > 0.0 ? Vec3(sunk * how.way) : reached;
        if (deepest) *deepest = std::max(*deepest, sunk / T.mean_radius_m);
        const double around = how.out_of_reach * std::min(1.0, sunk * near.to_reference / touching_m);
        by += share * (reached + around * (not_reached - reached));
    }
    return by / std::max(1.0, all);
}

namespace {

/// Brings it there; what a whole hand then does.
WholeHand bring_hand(const Program& program, const NearHand& hand, const std::vector<Nearness>& found,
                     const SourceFrame& source, TargetFrame& target) {
    const NearProgram& near = *program.near;
    const LimbOp& limb = program.limbs[hand.limb];
    double all = 0.0;
    Vec3 turn = Vec3::Zero();
    for (const Nearness& one : found) {
        all += one.w;
        turn += one.w * log_rotation(one.turn);
    }
    turn /= std::max(1.0, all);
    if (const double angle = turn.norm(); angle > nothing_m)
        turn *= most_turn_rad * std::tanh(angle / most_turn_rad) / angle;
    if (turn.norm() > nothing_m) {
        for (const int j : hand.T_below) turn_joint(target, j, exp_rotation(turn));
        follow_below(program, source, target, hand.T_hand);
    }
    Vec3 by = Vec3::Zero();
    for (const Nearness& one : found) {
        const PartSurface& T = near.T.parts[one.T_part];
        const Rigid X_T = T.frame(target.R[size_t(T.joint)], target.p[size_t(T.joint)]);
        const Vec3 x =
            target.p[size_t(hand.T_hand)] + target.R[size_t(hand.T_hand)] * hand.points[one.point].T_J;
        by += one.w * (X_T * T.point(one.place) - x);
    }
    const Vec3 asked = target.p[size_t(hand.T_hand)] + by / std::max(1.0, all);
    bring_arm(program, limb, by / std::max(1.0, all), source, target);
    const double missed = (asked - target.p[size_t(hand.T_hand)]).norm() * near.to_reference;
    WholeHand how;
    how.out_of_reach = smooth_step(std::clamp((missed - reached_m) / (not_reached_m - reached_m), 0.0, 1.0));
    // Round the shoulder, away from the bone it lies on.
    Vec3 away = Vec3::Zero();
    const Capsule arm{target.p[size_t(limb.T_start)], target.p[size_t(limb.T_tip)]};
    for (const Nearness& one : found) {
        const PartSurface& T = near.T.parts[one.T_part];
        const Rigid X_T = T.frame(target.R[size_t(T.joint)], target.p[size_t(T.joint)]);
        away += one.w * gap_between(arm, X_T * Capsule{Vec3::Zero(), Vec3(0.0, 0.0, T.length_m)}).out;
    }
    const Vec3 along = (arm.b - arm.a).normalized();
    how.way = (away - along.dot(away) * along).normalized();
    return how;
}

/// By the whole hand, in rounds.
void bring_out(const Program& program, const NearHand& hand, double g, WholeHand how,
               const SourceFrame& source, TargetFrame& target) {
    thread_local std::vector<std::optional<double>> in_source;
    in_source.assign(hand.parts.size(), std::nullopt);
    for (int round = 0; round < (how.out_of_reach > 0.0 ? far_rounds : whole_hand_rounds); ++round) {
        const SourceFrame now{target.R, target.p, source.t_s};
        const HandFrames frames{source, now, source, now};
        double deepest = 0.0;
        Vec3 by = by_whole_hand(*program.near, hand, frames, how, in_source, &deepest);
        if (round == 0 && how.touches) {
            const double too_deep = (deepest - deep_from) / (deep_to - deep_from);
            how.out_of_reach = std::max(how.out_of_reach, smooth_step(std::clamp(too_deep, 0.0, 1.0)));
            if (too_deep > 0.0) by = by_whole_hand(*program.near, hand, frames, how, in_source);
        }
        by *= g;
        if (by.norm() < hand_settled_m) break;
        bring_arm(program, program.limbs[hand.limb], by, source, target);
    }
}

void touch_alone(const Program& program, const NearHand& hand, double g, const SourceFrame& source,
                 TargetFrame& target) {
    // One a thread, that grows once: nothing is allocated in a frame.
    thread_local std::vector<Nearness> found;
    find_near(*program.near, hand, source, target, g, found);
    const WholeHand how = found.empty() ? WholeHand() : bring_hand(program, hand, found, source, target);
    bring_out(program, hand, g, how, source, target);
}

/// Where a shift asks the wrist, world.
Vec3 shifted_wrist(const Program& program, const LimbOp& limb, const HandShift& shift,
                   const TargetFrame& target) {
    return target.p[size_t(limb.T_tip)] + target.R[size_t(program.body.hips)] * shift.by_m;
}

void turn_hand(const Program& program, const NearHand& hand, const HandShift& shift,
               const SourceFrame& source, TargetFrame& target) {
    const Quat by = exp_rotation(Vec3(target.R[size_t(program.body.hips)] * shift.turn));
    for (const int j : hand.T_below) turn_joint(target, j, by);
    follow_below(program, source, target, hand.T_hand);
}

}  // namespace

HandShift shift_of(const Program& program, const NearHand& hand, const SourceFrame& source,
                   TargetFrame& target) {
    const size_t j = size_t(hand.T_hand);
    const Vec3 p = target.p[j];
    const Quat R = target.R[j];
    touch_alone(program, hand, 1.0, source, target);
    const Quat R_hips = target.R[size_t(program.body.hips)].conjugate();
    return {R_hips * Vec3(target.p[j] - p), R_hips * log_rotation(target.R[j] * R.conjugate())};
}

HandShift shift_clear(const Program& program, const NearHand& hand, const HandShift& shift,
                      const SourceFrame& source, TargetFrame& target) {
    const LimbOp& limb = program.limbs[hand.limb];
    const Vec3 to = shifted_wrist(program, limb, shift, target);
    turn_hand(program, hand, shift, source, target);
    bring_wrist(program, limb, to, source, target);
    const size_t j = size_t(hand.T_hand);
    const Vec3 p = target.p[j];
    bring_out(program, hand, 1.0, {false}, source, target);
    return {target.R[size_t(program.body.hips)].conjugate() * Vec3(target.p[j] - p), Vec3::Zero()};
}

namespace {

/// The upper arm, and what gives way above it, bring the middle joint to `goal`.
void bring_elbow(const Program& program, const LimbOp& limb, const Vec3& goal, const SourceFrame& source,
                 TargetFrame& target) {
    const auto p = [&](int joint) -> const Vec3& { return target.p[size_t(joint)]; };
    const LeanAsk ask{&limb, goal, true};
    lean_trunk(program, {&ask, 1}, source, target);
    const double length = (p(limb.T_mid) - p(limb.T_start)).norm();
    const auto missing = [&] {
        const Vec3 to = goal - p(limb.T_start);
        return to.norm() > length ? Vec3((to.norm() - length) * to.normalized()) : Vec3(Vec3::Zero());
    };
    if (limb.shoulder.T_clavicle >= 0 && missing() != Vec3::Zero()) {
        bring_shoulder(limb.shoulder, limb.T_start, clavicle_gives_hands * missing(), target);
        follow_below(program, source, target, limb.shoulder.T_clavicle);
    }
    const Vec3 now = p(limb.T_mid) - p(limb.T_start), to = goal - p(limb.T_start);
    if (now.norm() < 1e-6 || to.norm() < 1e-6) return;
    turn_joint(target, limb.T_start, shortest_arc(now, to));
    follow_below(program, source, target, limb.T_start);
}

}  // namespace

void pass_elbows(const Program& program, const SourceFrame& source, TargetFrame& target) {
    if (!program.near || !program.passes.touch) return;
    const NearProgram& near = *program.near;
    for (const NearElbow& elbow : near.elbows) {
        const LimbOp& limb = program.limbs[elbow.limb];
        for (const NearElbow::Touch& touch : elbow.touches) {
            const double w = touch.when.led(source.t_s, touch_lead_s);
            if (w <= 0.0) continue;
            const PartSurface& S = near.S.parts[touch.part.S];
            const PartSurface& T = near.T.parts[touch.part.T];
            const size_t S_mid = size_t(elbow.is_sole ? limb.S_tip : limb.S_mid);
            const size_t T_mid = size_t(elbow.is_sole ? limb.T_tip : limb.T_mid);
            const Vec3 x = source.p[S_mid] + source.R[S_mid] * elbow.S_J;
            const SurfacePlace at =
                S.place(inverse(S.frame(source.R[size_t(S.joint)], source.p[size_t(S.joint)])) * x);
            const Rigid X_T = T.frame(target.R[size_t(T.joint)], target.p[size_t(T.joint)]);
            const Vec3 tip = X_T * T.point(place_on_target(near, touch.part, at));
            const Vec3 by = tip - target.p[T_mid] - target.R[T_mid] * elbow.T_J;
            const Vec3 to = target.p[T_mid] + w * by;
            if (elbow.is_sole)
                bring_wrist(program, limb, to, source, target);
            else
                bring_elbow(program, limb, to, source, target);
        }
    }
}

void pass_near(const Program& program, const SourceFrame& source, TargetFrame& target,
               const FrameCorrection* held) {
    const bool has_near = program.near && program.passes.touch;
    if (!held || !held->has_hands) {
        if (has_near)
            for (const NearHand& hand : program.near->hands)
                if (const double g = hand.led(source.t_s); g > 0.0)
                    touch_alone(program, hand, g, source, target);
        for (const LimbOp& limb : program.limbs) set_shift(program, limb.limb, source, target);
        return;
    }
    std::array<Vec3, limb_count> wrists;
    const auto each = [&](const auto& put) {
        for (const LimbOp& limb : program.limbs)
            if (const HandShift& shift = held->hands[limb.limb]; !shift.is_none())
                put(limb, shift, wrists[limb.limb]);
    };
    each([&](const LimbOp& limb, const HandShift& shift, Vec3& wrist) {
        wrist = shifted_wrist(program, limb, shift, target);
    });
    const auto bring = [&](const LimbOp& limb, const Vec3& wrist) {
        if (on_set_led(program, limb.limb, source.t_s) > 0.0 && !touches_skin(program, limb.limb, source.t_s))
            put_on_set(program, limb, wrist, source, target);
        else
            bring_wrist(program, limb, wrist, source, target);
    };
    std::vector<LeanAsk> asks;
    if (std::any_of(program.limbs.begin(), program.limbs.end(),
                    [](const LimbOp& limb) { return limb.trunk_gives > 0.0; }))
        each([&](const LimbOp& limb, const HandShift&, const Vec3& wrist) {
            asks.push_back({&limb, wrist});
        });
    lean_trunk(program, asks, source, target);
    each([&](const LimbOp& limb, const HandShift& shift, const Vec3& wrist) {
        if (shift.turn != Vec3::Zero()) {
            const NearHand* near = nullptr;
            if (has_near)
                for (const NearHand& hand : program.near->hands)
                    if (program.limbs[hand.limb].limb == limb.limb) near = &hand;
            if (near)
                turn_hand(program, *near, shift, source, target);
            else
                turn_on_set(program, limb.limb,
                            exp_rotation(Vec3(target.R[size_t(program.body.hips)] * shift.turn)), source,
                            target);
        }
        bring(limb, wrist);
    });
}

}  // namespace nb
