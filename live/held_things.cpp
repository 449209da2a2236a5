#include "live/held_things.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/passes.hpp"
#include "core/surface/surface.hpp"

namespace nb {

namespace {

constexpr double looks_a_second = 20.0;
constexpr double reaches_now_s = 0.03;  // a grip that is found to that long ago is there now
constexpr double stays_m = 0.02;        // at 175 cm: farther off the thing a hand has let go
constexpr double led_w = 12.0;          // 1/s: there and away within about a third of a second
constexpr double gone_s = 0.2;          // beyond that another motion begins
constexpr size_t most_seen = 240;
constexpr double as_apart_m = 1e-6, least_length_m = 0.01;
constexpr double moment_s = 10.0;  // about a moment: what holds in it holds in what comes next

Character without_meshes(Character character) {
    character.rig.meshes = {};
    return character;
}

/// A take of it that has no frames: roots may go where they want.
Take take_without_frames(const Skeleton& skeleton) {
    Take take;
    take.joints = skeleton.size();
    for (int j = 0; j < skeleton.size(); ++j)
        if (skeleton.parents[size_t(j)] < 0) take.translated.push_back(j);
    return take;
}

}  // namespace

HeldThings::HeldThings(const Character& source, const Character& target, const PairingSettings& settings,
                       const Program& program)
    : source_(without_meshes(source)),
      program_(program),
      things_(things_of(source, take_without_frames(source.rig.skeleton))),
      T_R_(program.body.parents.size(), Quat::Identity()),
      T_p_(program.body.parents.size(), Vec3::Zero()) {
    const bool have_hands = arm(2) && arm(3) && !target.roles.is_four_legged() &&
                            source.roles.joint("hand.left") >= 0 && source.roles.joint("hand.right") >= 0;
    if (!settings.passes.hold || !settings.passes.reach || !have_hands) things_.clear();
    if (things_.empty()) return;
    maps_ = grip_maps(PairedBodies(source, target, settings, {}), surface_of(source), surface_of(target),
                      program);
    to_reference_ = reference_stature_m / std::max(0.01, program.S_stature_m);
    seen_.joints = source.rig.skeleton.size();
}

const LimbOp* HeldThings::arm(size_t limb) const {
    for (const LimbOp& op : program_.limbs)
        if (op.limb == limb) return &op;
    return nullptr;
}

void HeldThings::clear() {
    seen_.R.clear();
    seen_.p.clear();
    seen_.frames = 0;
    seen_s_.clear();
    grips_ = {};
    next_look_s_ = -1e30;
    offset_ = {};
    last_.setZero();
    last_v_.setZero();
    was_held_ = false;
}

/// Takes in what has come since, in the order of its time.
void HeldThings::see(const Moments& moments) {
    const size_t joints = size_t(seen_.joints);
    for (int i = 0; i < moments.size(); ++i) {
        const Moment& moment = moments.at(i);
        if (!seen_s_.empty() && moment.t_s <= seen_s_.back()) continue;
        if (!seen_s_.empty() && moment.t_s - seen_s_.back() > gone_s) clear();
        seen_.R.insert(seen_.R.end(), moment.R.begin(), moment.R.end());
        seen_.p.insert(seen_.p.end(), moment.p.begin(), moment.p.end());
        seen_s_.push_back(moment.t_s);
    }
    size_t old = seen_s_.size() > most_seen ? seen_s_.size() - most_seen : 0;
    while (old < seen_s_.size() && seen_s_[old] < seen_s_.back() - looked_back_s) ++old;
    seen_.R.erase(seen_.R.begin(), seen_.R.begin() + long(old * joints));
    seen_.p.erase(seen_.p.begin(), seen_.p.begin() + long(old * joints));
    seen_s_.erase(seen_s_.begin(), seen_s_.begin() + long(old));
    seen_.frames = int(seen_s_.size());
    if (seen_.frames > 1) seen_.frame_time_s = (seen_s_.back() - seen_s_.front()) / double(seen_.frames - 1);
}

/// Whether the hand's point is still where it was on the thing, in the newest frame.
bool HeldThings::stays(const Grip& grip) const {
    const auto frame = [&](int joint) {
        const size_t at = seen_.at(seen_.frames - 1, joint);
        return Rigid{seen_.R[at], seen_.p[at]};
    };
    const int hand = source_.roles.joint(grip.limb == 2 ? "hand.left" : "hand.right");
    return (frame(hand) * grip.on_hand_J - frame(grip.thing) * grip.on_thing_J).norm() * to_reference_ <
           stays_m;
}

/// Looks for grips anew when it is time; true when they have changed.
bool HeldThings::look() {
    if (seen_.frames < 3) return false;
    bool is_changed = false;
    for (auto& grip : grips_)
        if (grip && !stays(*grip)) {
            grip.reset();
            is_changed = true;
        }
    if (seen_s_.back() < next_look_s_) return is_changed;
    next_look_s_ = seen_s_.back() + 1.0 / looks_a_second;
    const int reaches_now = int(std::ceil(reaches_now_s / seen_.frame_time_s));
    for (const Grip& grip : find_grips(source_, seen_, things_, {maps_[0].S_palm_J, maps_[1].S_palm_J}, 0)) {
        if (grip.last < seen_.frames - reaches_now) continue;
        grips_[grip.limb - 2] = grip;
        is_changed = true;
    }
    return is_changed;
}

std::vector<HeldThing> HeldThings::step(const Moments& moments, const FrameCorrection& held) {
    if (things_.empty()) return {};
    see(moments);
    const bool is_changed = look();
    const bool is_held = grips_[0] && grips_[1] && grips_[0]->thing == grips_[1]->thing;
    if (is_held) last_grips_ = {*grips_[0], *grips_[1]};
    const Moment& now = moments.shown();
    const double dt = std::clamp(now.t_s - last_s_, 1e-4, gone_s);
    last_s_ = now.t_s;
    if (!is_held && !was_held_ && std::abs(last_[0]) < as_apart_m) {
        offset_ = {};
        last_.setZero();
        return {};
    }
    // Where the hands are by themselves.
    TargetFrame T{T_R_, T_p_};
    run_passes(program_, {now.R, now.p, now.t_s}, T, &held);
    std::array<Vec3, 2> on_hand_J, at;
    for (const size_t side : {size_t(0), size_t(1)}) {
        const size_t hand = size_t(arm(side + 2)->T_tip);
        on_hand_J[side] = maps_[side].on_target(last_grips_[side].on_hand_J);
        at[side] = T_p_[hand] + T_R_[hand] * on_hand_J[side];
    }
    const double by_themselves = (at[0] - at[1]).norm();
    const Vec3 along = last_grips_[0].on_thing_J - last_grips_[1].on_thing_J;
    const double length = along.norm();
    if (length < least_length_m || by_themselves < least_length_m) return {};
    const Length goal(is_held ? length - by_themselves : 0.0);
    if (is_held != was_held_ || is_changed) {
        offset_.x = last_ + dt * last_v_ - goal;
        offset_.v = last_v_;
    } else {
        offset_.step(dt, led_w);
    }
    was_held_ = is_held;
    const Length by = goal + offset_.x;
    last_v_ = (by - last_) / dt;
    last_ = by;
    HeldThing thing;
    thing.S_thing = last_grips_[0].thing;
    const Vec3 half = 0.5 * std::max(least_length_m, by_themselves + by[0]) / length * along;
    const Vec3 middle = 0.5 * (last_grips_[0].on_thing_J + last_grips_[1].on_thing_J);
    const HandSpan always{now.t_s - moment_s, now.t_s + moment_s, true, true};
    for (const size_t side : {size_t(0), size_t(1)}) {
        const LimbOp* op = arm(side + 2);
        thing.hands.push_back({size_t(op - program_.limbs.data()), op->T_tip, on_hand_J[side],
                               side == 0 ? Vec3(middle + half) : Vec3(middle - half), always});
    }
    return {thing};
}

}  // namespace nb
