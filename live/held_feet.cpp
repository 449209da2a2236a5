#include "live/held_feet.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/math/hermite.hpp"
#include "core/solve/stretch.hpp"
#include "core/solve/time/floor.hpp"
#include "core/solve/time/goals.hpp"
#include "core/solve/time/sole.hpp"

namespace nb {

namespace {

constexpr double led_in_s = 0.1;   // at most; less where less is known before
constexpr double let_go_w = 28.0;  // 1/s: away within `lead_s`
constexpr double come_down_w = 90.0;
constexpr double come_up_w = 200.0;  // from below the floor
constexpr double hips_w = 22.0;
constexpr double settles_m_s = 0.02, same_level_m = 0.03;  // at 175 cm
constexpr int rounds = 8;

/// A point of the foot from the ankle, the ball as the lowest of a sphere; world axes, m.
Vec3 seen(const Sole& sole, FootPoint point, const Quat& R_foot) {
    return sole.point(point, R_foot, Vec3::Zero(), R_foot, Vec3::Zero());
}

Vec3 shorter(const Vec3& v, double most) {
    const double length = v.norm();
    return length > most ? Vec3(v * (most / length)) : v;
}

}  // namespace

HeldFeet::HeldFeet(const Program& program)
    : program_(program), scale_(program.body.stature_m / reference_stature_m) {}

void HeldFeet::clear() {
    feet_ = {};
    give_ = {};
    hips_m_.setZero();
    is_begun_ = false;
}

/// The foot's pose with heel and ball on one floor.
Quat HeldFeet::sole_of(const EndOp& end, const Quat& foot) const {
    const Sole& sole = end.sole;
    return elevate(foot * (sole.ball_J - sole.heel_J), sole.ball_over_m) * foot;
}

void HeldFeet::hold_foot(size_t limb, const Moments& moments, const ContactsAhead& contacts, double dt) {
    const EndOp& end = program_.ends[limb];
    const Sole& sole = end.sole;
    Foot& foot = feet_[limb];
    const Moment::Asked& asked = moments.shown().asked[limb];
    const double t = moments.shown().t_s;
    const double k = program_.map.k;
    const ContactsAhead::Point& heel = contacts.point(limb, FootPoint::heel);
    const ContactsAhead::Point& ball = contacts.point(limb, FootPoint::ball);
    const Mode mode = heel.is_held && ball.is_held ? Mode::sole
                      : ball.is_held               ? Mode::ball
                      : heel.is_held               ? Mode::heel
                                                   : Mode::free;
    const auto time_to = [&](int moment) { return moments.at(moment).t_s - t; };
    // How much of what comes at a moment is there already.
    const double known_s = std::clamp(moments.last_s() - t - 0.02, 0.0, led_in_s);
    const auto led = [&](int moment) {
        return known_s <= 1e-3 ? 0.0 : smooth_step(std::clamp(1.0 - time_to(moment) / known_s, 0.0, 1.0));
    };

    // The turn: of the sole; else what leads to one that comes.
    Vec3 turn = Vec3::Zero();
    if (mode == Mode::sole) {
        if (foot.mode != Mode::sole)
            foot.sole =
                sole_of(end, is_begun_ ? Quat(exp_rotation(foot.last_turn + foot.turn_v * dt) * asked.foot)
                                       : asked.foot);
        turn = log_rotation(foot.sole * asked.foot.conjugate());
    } else if (const int heel_at = heel.is_held ? moments.now() : heel.next,
               ball_at = ball.is_held ? moments.now() : ball.next;
               heel_at >= 0 && ball_at >= 0 && sole.has_heel) {
        const int at = std::max(heel_at, ball_at);
        const Quat& there = moments.at(at).asked[limb].foot;
        turn = led(at) * log_rotation(sole_of(end, there) * there.conjugate());
    }
    if ((mode == Mode::sole) != (foot.mode == Mode::sole) && is_begun_) {
        foot.turn.x = foot.last_turn + foot.turn_v * dt - turn;
        foot.turn.v = mode == Mode::sole ? Vec3(Vec3::Zero()) : shorter(foot.turn_v, most_turn_rad_s);
    } else {
        foot.turn.step(dt, mode == Mode::sole ? come_down_w : let_go_w);
    }
    turn += foot.turn.x;
    Quat R = exp_rotation(turn) * asked.foot;

    // Where it is, by what held it up to now.
    const auto ankle_by = [&](int anchor) { return Vec3(foot.place_m - seen(sole, FootPoint(anchor), R)); };
    const bool was_held = foot.anchor >= 0;
    const bool is_held = mode != Mode::free;
    Vec3 coming = Vec3::Zero();
    if (!is_held) {
        const int next = heel.next < 0   ? ball.next
                         : ball.next < 0 ? heel.next
                                         : std::min(heel.next, ball.next);
        if (next >= 0) {
            const FootPoint point = next == ball.next ? FootPoint::ball : FootPoint::heel;
            const Moment::Asked& there = moments.at(next).asked[limb];
            const double level = k * contacts.point(limb, point).next_level_m;
            coming.y() = led(next) * (level - (there.ankle_m + seen(sole, point, there.foot)).y());
        }
    }
    if (is_begun_ && !was_held) foot.shift.step(dt, let_go_w);
    Vec3 ankle = was_held ? ankle_by(foot.anchor) : Vec3(asked.ankle_m + coming + foot.shift.x);
    // A foot that comes down does so where it was shown.
    if (is_held && !was_held && is_begun_)
        ankle = asked.ankle_m + foot.last_shift + foot.aside_m + foot.shift_v * dt;
    const bool anchor_holds = was_held && (foot.anchor == int(FootPoint::heel) ? heel : ball).is_held;
    if (is_held && !anchor_holds) {
        // From here on another point says where it is; the foot stays where it is.
        foot.anchor = int(ball.is_held ? FootPoint::ball : FootPoint::heel);
        const double level = k * (ball.is_held ? ball : heel).level_m;
        foot.place_m = ankle + seen(sole, FootPoint(foot.anchor), R);
        const double off = foot.place_m.y() - level;
        foot.place_m.y() = level;
        if (!was_held) foot.shift = {};
        foot.shift.x.y() += off;
        foot.level_m = level;
        foot.has_level = true;
    }
    if (is_held) {
        // What it stands on is known better the longer the take goes on.
        const double known = k * contacts.floor().nearest(foot.level_m / k);
        if (std::abs(known - foot.level_m) < same_level_m * scale_) {
            const double most = settles_m_s * scale_ * dt;
            foot.level_m += std::clamp(known - foot.level_m, -most, most);
            foot.place_m.y() = foot.level_m;
        }
        foot.shift.step(dt, foot.shift.x.y() < 0.0 ? come_up_w : come_down_w);
        ankle = ankle_by(foot.anchor) + foot.shift.x;
    } else if (was_held) {
        foot.anchor = -1;
        foot.shift.x = ankle + foot.shift.x - asked.ankle_m - coming;
        foot.shift.v = shorter(foot.shift_v, most_shift_m_s * scale_);
        ankle = asked.ankle_m + coming + foot.shift.x;
    }
    foot.mode = mode;

    // Nothing of it is below the floor.
    double level = foot.level_m;
    if (!is_held && !contacts.floor().levels_m.empty()) {
        const double below =
            k * contacts.floor().nearest(moments.shown().points[limb][size_t(FootPoint::ball)].y());
        level = foot.has_level ? std::min(level, below) : below;
    }
    const bool has_floor = foot.has_level || !contacts.floor().levels_m.empty();
    if (has_floor && sole.has_heel && sole.end == LimbEnd::foot) {
        if (foot.anchor == int(FootPoint::ball)) {
            const Vec3 to_heel = R * (sole.heel_J - sole.ball_J);
            if (to_heel.y() < -sole.ball_over_m) R = elevate(to_heel, -sole.ball_over_m) * R;
            ankle = ankle_by(foot.anchor) + foot.shift.x;
        } else if (foot.anchor == int(FootPoint::heel)) {
            const Vec3 to_ball = R * (sole.ball_J - sole.heel_J);
            if (to_ball.y() < sole.ball_over_m) R = elevate(to_ball, sole.ball_over_m) * R;
            ankle = ankle_by(foot.anchor) + foot.shift.x;
        }
    }
    if (has_floor && !is_held) {
        const auto lacks = [&](FootPoint point) {
            const double source_m = moments.shown().points[limb][size_t(point)].y();
            return floor_beside(level, k, source_m, program_.S_stature_m) -
                   (ankle + seen(sole, point, R)).y();
        };
        double raise = lacks(FootPoint::ball);
        if (sole.has_heel && sole.end == LimbEnd::foot) raise = std::max(raise, lacks(FootPoint::heel));
        ankle.y() += std::max(0.0, raise);
    }

    FrameCorrection::Limb& limb_out = out_.limbs[limb];
    const Quat C = (R * asked.foot.conjugate()).normalized();
    limb_out.foot = C;
    limb_out.ankle_m = ankle - asked.ankle_m;
    limb_out.toe = Quat::Identity();
    if (has_floor && sole.has_tip && sole.toe >= 0) {
        const Vec3 n = R * side_of(sole);
        const Vec3 tip = C * (asked.toe * sole.tip_J);
        limb_out.toe = exp_rotation(-toe_raise_rad(tip, n, level - (ankle + R * sole.ball_J).y()) * n);
    }
    const double full = is_held ? 1.0 : 0.0;
    const double rate = dt / (is_held ? 0.05 : lead_s);
    foot.weight += std::clamp(full - foot.weight, -rate, rate);
    limb_out.hold = smooth_step(foot.weight);

    const Vec3 now_turn = log_rotation(C);
    const Vec3 now_shift = limb_out.ankle_m;
    if (is_begun_ && dt > 1e-6) {
        foot.turn_v = (now_turn - foot.last_turn) / dt;
        foot.shift_v = (now_shift - foot.last_shift) / dt;
    }
    foot.last_turn = now_turn;
    foot.last_shift = now_shift;
}

int HeldFeet::needs(const Moments& moments, const ContactsAhead& contacts, int moment,
                    std::array<Need, limb_count>& needs) const {
    int count = 0;
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const EndOp& end = program_.ends[limb];
        if (end.limb < 0 || !end.sole.is_on_floor() || end.hips_give <= 0.0) continue;
        const Foot& foot = feet_[limb];
        const Moment::Asked& asked = moments.at(moment).asked[limb];
        const FrameCorrection::Limb& out = out_.limbs[limb];
        double weight = out.hold;
        Vec3 ankle = moments.shown().asked[limb].ankle_m + out.ankle_m;
        if (moment != moments.now()) {
            if (foot.anchor < 0 || contacts.point(limb, FootPoint(foot.anchor)).held_to < moment) continue;
            weight = 1.0;
            if (foot.mode != Mode::sole)
                ankle = foot.place_m - seen(end.sole, FootPoint(foot.anchor), out.foot * asked.foot);
        }
        if (weight <= 0.0) continue;
        const bool has_hock = program_.limbs[size_t(end.limb)].T_hock >= 0;
        Need need{ankle - asked.start_m, led_reach_m(asked.length_m, asked.S_stretch, has_hock, weight)};
        need.limit_m += (1.0 - end.hips_give * weight) * std::max(0.0, need.to_m.norm() - need.limit_m);
        needs[size_t(count++)] = need;
    }
    return count;
}

namespace {

/// The nearest to x from which everything is reached.
template <typename Needs>
Vec3 within_reach(Vec3 x, const Needs& needs, int count) {
    for (int round = 0; round < rounds; ++round) {
        double worst = 0.0;
        for (int i = 0; i < count; ++i) {
            const Vec3 left = needs[size_t(i)].to_m - x;
            const double over = left.norm() - needs[size_t(i)].limit_m;
            if (over <= 0.0) continue;
            worst = std::max(worst, over);
            x += left.normalized() * over;
        }
        if (worst < 1e-5) break;
    }
    return x;
}

}  // namespace

void HeldFeet::give_way(const Moments& moments, const ContactsAhead& contacts, double dt) {
    std::array<Need, limb_count> here, there;
    const int now_count = needs(moments, contacts, moments.now(), here);
    Vec3 wanted = Vec3::Zero();
    int looked = 0;
    const int step = std::max(1, (moments.size() - moments.now()) / 6);
    for (int i = moments.now(); i < moments.size(); i += step, ++looked)
        wanted += within_reach(Vec3::Zero(), i == moments.now() ? here : there,
                               i == moments.now() ? now_count : needs(moments, contacts, i, there));
    wanted /= std::max(1, looked);
    give_.x -= wanted - hips_m_;  // seen from where it is wanted
    hips_m_ = wanted;
    give_.step(dt, hips_w);
    const Vec3 before = out_.hips_m;
    const Vec3 asked = within_reach(Vec3(wanted + give_.x), here, now_count);
    const Vec3 by = shorter(asked - before, most_hips_m_s * scale_ * dt);
    out_.hips_m = before + by;
    give_.x = out_.hips_m - wanted;
}

const FrameCorrection& HeldFeet::step(const Moments& moments, const ContactsAhead& contacts) {
    const double t = moments.shown().t_s;
    const double dt = is_begun_ ? std::clamp(t - last_s_, 1e-4, 0.2) : 1.0 / 120.0;
    out_.is_held = true;
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const EndOp& end = program_.ends[limb];
        if (end.limb < 0 || !end.sole.is_on_floor()) continue;
        hold_foot(limb, moments, contacts, dt);
    }
    if (!is_begun_) out_.hips_m.setZero();
    give_way(moments, contacts, dt);
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const EndOp& end = program_.ends[limb];
        if (end.limb < 0) continue;
        const LimbOp& op = program_.limbs[size_t(end.limb)];
        if (op.is_standing) out_.limbs[limb].start_m = out_.hips_m;
    }
    last_s_ = t;
    is_begun_ = true;
    return out_;
}

}  // namespace nb
