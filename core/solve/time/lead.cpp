// Pass lead: on held frames the ankle follows exactly, ankle = place - C F v, v the held point seen from the
// ankle; the free end of a foot that is held at the other comes up to the floor; between holds turn and shift
// are led from one to the next or to zero, continuous in value and slope (core/math/curves.hpp). Where one hold
// goes over into another one at another place both let go for a moment. A heel that lands comes as the source's
// does, seen from its ankle: what the foot still turns as it comes down does not let it slide.
#include <algorithm>

#include "core/math/curves.hpp"
#include "core/math/hermite.hpp"
#include "core/solve/time/floor.hpp"
#include "core/solve/time/passes.hpp"
#include "core/solve/time/sole.hpp"

namespace nb {

namespace {

constexpr double slow_frame_s = 0.02;  // of slower takes the last frame before a rest is caught
constexpr double caught_share = 0.5;
constexpr double break_s = 0.04;
constexpr double lands_s = 0.04;
constexpr double joint_break_m = 0.015;  // a jump of the shift that two holds cannot share, at 175 cm

/// Where a hold has the ankle at a frame; world, m.
Vec3 ankle_by(const Problem& problem, const Effector& e, const EffectorGoals& g, int hold, int f) {
    const Hold& held = e.holds[size_t(hold)];
    Vec3 ankle = problem.X_WS(held, f) * g.place_S[size_t(hold)] -
                 problem.seen(e, held.point, turned_foot(problem, e, g, f), f);
    if (held.kind == ContactKind::slide) {
        ankle.x() = e.asked_m[size_t(f)].x();
        ankle.z() = e.asked_m[size_t(f)].z();
    }
    return ankle;
}

void shift_lone(const Problem& problem, const Effector& e, EffectorGoals& g) {
    for (int f = problem.first; f < problem.frames; ++f) {
        const int hold = ruling_hold(e, f);
        if (g.is_sole[size_t(f)] || hold < 0) continue;
        g.shift[size_t(f)] = ankle_by(problem, e, g, hold, f) - e.asked_m[size_t(f)];
        g.is_held[size_t(f)] = 1;
    }
}

void break_apart(const Problem& problem, const Effector& e, EffectorGoals& g) {
    const int around = problem.frames_in(break_s);
    const std::vector<char> before = g.is_held;
    for (int f = problem.first + 1; f < problem.frames; ++f) {
        const int now = ruling_hold(e, f);
        const int last = ruling_hold(e, f - 1);
        if (!before[size_t(f)] || !before[size_t(f - 1)] || now == last || now < 0 || last < 0) continue;
        // Where both may rest they are compared: what rolls off one point onto the other is of one piece.
        const auto apart = [&](int at) {
            return (ankle_by(problem, e, g, now, at) - ankle_by(problem, e, g, last, at)).norm();
        };
        if (std::min(apart(f - 1), apart(f)) <= joint_break_m * problem.scale) continue;
        for (int at = std::max(0, f - around); at < std::min(problem.frames, f + around); ++at)
            g.is_held[size_t(at)] = 0;
    }
}

/// A foot that is held by its toe tip alone turns about that until its ball is on the floor.
void level_tip(const Problem& problem, const Effector& e, EffectorGoals& g, int f) {
    const Quat R = turned_foot(problem, e, g, f);
    const double below = ball_below(problem, e, g, ankle_of(e, g, f), R, f);
    if (below <= 0.0) return;
    const Vec3 pivot = problem.seen(e, FootPoint::toetip, R, f);
    const Vec3 end = R * e.sole().ball_J - pivot;
    turn_about(g, f, elevate(end, end.y() + below), pivot);
}

/// The free end of a foot that is held at the other comes up to the floor.
void level_held(const Problem& problem, const Effector& e, EffectorGoals& g) {
    const Sole& sole = e.sole();
    for (int f = problem.first; f < problem.frames; ++f) {
        if (!g.is_held[size_t(f)] || g.is_sole[size_t(f)]) continue;
        const Quat R = turned_foot(problem, e, g, f);
        const Vec3 ankle = ankle_of(e, g, f);
        const int ruling = ruling_hold(e, f);
        if (ruling < 0) continue;
        const FootPoint held = e.holds[size_t(ruling)].point;
        if (held == FootPoint::toetip) {
            level_tip(problem, e, g, f);
            continue;
        }
        const bool on_ball = held == FootPoint::ball;
        const double below =
            on_ball ? heel_below(problem, e, g, ankle, R, f) : ball_below(problem, e, g, ankle, R, f);
        if (below <= 0.0) continue;
        const Vec3 pivot = R * (on_ball ? sole.ball_J : sole.heel_J);
        const Vec3 end = R * (on_ball ? sole.heel_J : sole.ball_J) - pivot;
        turn_about(g, f, elevate(end, end.y() + below), pivot);
    }
}

/// A point that comes to rest is caught a little before: slow takes have no frame between flight and rest.
void catch_early(const Problem& problem, const Effector& e, EffectorGoals& g) {
    const double share = caught_share * std::clamp(problem.dt / slow_frame_s - 1.0, 0.0, 1.0);
    for (int f = problem.first + 1; f < problem.frames; ++f) {
        const int now = ruling_hold(e, f);
        if (!g.is_held[size_t(f)] || g.is_held[size_t(f - 1)] || now < 0) continue;
        const Vec3 shift = ankle_by(problem, e, g, now, f - 1) - e.asked_m[size_t(f - 1)];
        g.shift[size_t(f - 1)] += share * (shift - g.shift[size_t(f - 1)]);
    }
}

/// What a foot is led by before its heel lands: in `lands_s` over to what has the heel beside the source's as far as in
/// the first held frame,  shift = d - C F v(f) + k (S_heel(f) - S_ankle(f)),  d the same of that frame.
void land_heels(const Problem& problem, const Effector& e, EffectorGoals& g) {
    const Sole& S_sole = e.end->S_sole;
    const auto heel_beside_source = [&](int f) {
        const Vec3 S = S_sole.point(FootPoint::heel, problem.source, f) -
                       problem.source.p[problem.source.at(f, S_sole.ankle)];
        return Vec3(problem.seen(e, FootPoint::heel, turned_foot(problem, e, g, f), f) -
                    problem.program.map.k * S);
    };
    for (int lands = problem.first + 1; lands < problem.frames; ++lands) {
        const int hold = ruling_hold(e, lands);
        if (!g.is_held[size_t(lands)] || g.is_held[size_t(lands - 1)] || hold < 0 ||
            e.holds[size_t(hold)].point != FootPoint::heel)
            continue;
        int first = lands - 1;
        while (first > problem.first && !g.is_held[size_t(first - 1)]) --first;
        const double reach = std::min(lands_s / problem.dt, 0.5 * (lands - first + 1));
        const Vec3 there = g.shift[size_t(lands)] + heel_beside_source(lands);
        for (int f = std::max(first, lands - int(reach)); f < lands; ++f)
            g.shift[size_t(f)] += smooth_step(std::max(0.0, 1.0 - (lands - f) / reach)) *
                                  (there - heel_beside_source(f) - g.shift[size_t(f)]);
    }
}

}  // namespace

void time_lead(const Problem& problem, Goals& goals, const Watch&) {
    const int lead = problem.frames_in(lead_s, 2);
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const Effector& e = problem.effectors[i];
        EffectorGoals& g = goals.effectors[i];
        shift_lone(problem, e, g);
        break_apart(problem, e, g);
        if (e.is_on_floor()) {
            g.floor_m = floor_under(problem, e);
            level_held(problem, e, g);
        } else {
            g.floor_m.assign(size_t(problem.frames), no_support_m);
        }
        fill_between(g.turn, g.is_held, lead, most_turn_rad_s * problem.dt, problem.frames_in(slope_s));
        fill_between(g.shift, g.is_held, lead, most_shift_m_s * problem.scale * problem.dt,
                     problem.frames_in(slope_s));
        if (e.is_on_floor() && e.sole().has_heel) land_heels(problem, e, g);
        g.weight = eased_weights(g.is_held, lead);
        catch_early(problem, e, g);
    }
}

}  // namespace nb
