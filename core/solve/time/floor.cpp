// Pass raise: a free foot whose heel or ball is below the floor comes up to it; begun before it is needed, so
// that a landing foot slows down, and nowhere where it is held. What would have to come up quicker than a leg
// does so smoothly, beside a hold, is turned up about the ankle instead: a long foot on a short leg rolls off
// more slowly than its source's.
#include "core/solve/time/floor.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/math/curves.hpp"
#include "core/math/hermite.hpp"
#include "core/solve/time/passes.hpp"
#include "core/solve/time/sole.hpp"

namespace nb {

namespace {

constexpr double raise_s = 0.04;        // over which a foot that is too low is raised and let down
constexpr double goes_out = 2.0;        // times that: what had no time to come in
constexpr double level_s = 0.07;        // over which its end is turned up
constexpr double most_raise_m_s = 0.4;  // beside a hold, at 175 cm
constexpr double most_level_rad = pi / 4.0;
/// A point that the source holds deeper than this below a floor is beside it, at 175 cm.
constexpr double beside_floor_m = 0.03;

}  // namespace

std::vector<double> floor_under(const Problem& problem, const Effector& e) {
    const size_t frames = size_t(problem.frames);
    std::vector<double> now(frames, no_support_m);
    for (const Hold& hold : e.holds)
        for (int f = hold.first; f < hold.last; ++f)
            now[size_t(f)] = std::min(now[size_t(f)], problem.supports[hold.support].level_m(f));
    std::vector<double> result = now;
    for (const bool is_forward : {true, false}) {
        double last = no_support_m;
        for (size_t i = 0; i < frames; ++i) {
            const size_t f = is_forward ? i : frames - 1 - i;
            if (now[f] < no_support_m)
                last = now[f];
            else
                result[f] = std::min(result[f], last);
        }
    }
    return result;
}

double floor_beside(double level_m, double k, double S_height_m, double S_stature_m) {
    const double beside = beside_floor_m * S_stature_m / reference_stature_m;
    const double depth = level_m / k - S_height_m;
    return level_m - k * std::clamp(4.0 * (depth - beside), 0.0, std::max(0.0, depth));
}

double floor_below(const Problem& problem, const Effector& e, const EffectorGoals& g, FootPoint point,
                   int f) {
    return floor_beside(g.floor_m[size_t(f)], problem.program.map.k,
                        e.end->S_sole.point(point, problem.source, f).y(), problem.program.S_stature_m);
}

double heel_below(const Problem& problem, const Effector& e, const EffectorGoals& g, const Vec3& ankle,
                  const Quat& R, int f) {
    if (!e.sole().has_heel) return -no_support_m;
    return floor_below(problem, e, g, FootPoint::heel, f) - (ankle + R * e.sole().heel_J).y();
}

double ball_below(const Problem& problem, const Effector& e, const EffectorGoals& g, const Vec3& ankle,
                  const Quat& R, int f) {
    return floor_below(problem, e, g, FootPoint::ball, f) + e.sole().ball_over_m -
           (ankle + R * e.sole().ball_J).y();
}

namespace {

/// Raises that come in and go out by how far held frames are: never less than what is needed. What a hold before it
/// leaves no time to come in for goes out in time; a foot that lands comes down quicker than that.
std::vector<double> eased_cover(const std::vector<double>& least, const std::vector<int>& apart,
                                const Problem& problem, double time_s) {
    std::vector<double> cover = smooth_cover(least, problem.frames_in(time_s));
    for (size_t f = 0; f < cover.size(); ++f)
        cover[f] *= smooth_step(std::min(1.0, apart[f] * problem.dt / time_s));
    std::vector<double> raised = cover;
    const int reach = problem.frames_in(goes_out * time_s);
    for (int f = 0; f < int(cover.size()); ++f) {
        if (least[size_t(f)] <= cover[size_t(f)]) continue;
        for (int by = 0; by < reach && f + by < int(cover.size()); ++by) {
            const auto at = size_t(f) + size_t(by);
            if (by > 0 && apart[at] <= apart[size_t(f)]) break;
            raised[at] = std::max(raised[at], least[size_t(f)] * (1.0 - smooth_step(double(by) / reach)));
        }
    }
    return raised;
}

/// What of heel and ball would have to be raised quicker than `most_raise_m_s` since or until they are held.
void level(const Problem& problem, const Effector& e, EffectorGoals& g) {
    const Sole& sole = e.sole();
    // Below a hock the foot is a part of the leg: it bends.
    if (sole.end != LimbEnd::foot || !sole.has_heel) return;
    const std::vector<int> apart = frames_apart(g.is_held);
    const Vec3 side_J = side_of(sole);
    const auto turn = [](const Vec3& end, const Vec3& n, double over_m) {
        return over_m > 0.0 ? std::min(most_level_rad, toe_raise_rad(end, n, end.y() + over_m)) : 0.0;
    };
    std::vector<double> ball(size_t(problem.frames), 0.0), heel = ball;
    for (int f = problem.first; f < problem.frames; ++f) {
        if (g.floor_m[size_t(f)] >= no_support_m || g.is_held[size_t(f)]) continue;
        const Quat R = turned_foot(problem, e, g, f);
        const Vec3 ankle = ankle_of(e, g, f), side = R * side_J;
        const double raised = most_raise_m_s * problem.scale * problem.dt * apart[size_t(f)];
        ball[size_t(f)] = turn(R * sole.ball_J, side, ball_below(problem, e, g, ankle, R, f) - raised);
        heel[size_t(f)] = turn(R * sole.heel_J, -side, heel_below(problem, e, g, ankle, R, f) - raised);
    }
    ball = eased_cover(ball, apart, problem, level_s);
    heel = eased_cover(heel, apart, problem, level_s);
    for (int f = problem.first; f < problem.frames; ++f)
        if (const double up = ball[size_t(f)] - heel[size_t(f)]; up != 0.0 && !g.is_held[size_t(f)])
            turn_about(g, f, exp_rotation(-up * (turned_foot(problem, e, g, f) * side_J)), Vec3::Zero());
}

}  // namespace

void raise_by(const Problem& problem, EffectorGoals& g, const std::vector<double>& least, double time_s) {
    const std::vector<double> raise = eased_cover(least, frames_apart(g.is_held), problem, time_s);
    for (int f = problem.first; f < problem.frames; ++f) g.shift[size_t(f)].y() += raise[size_t(f)];
}

void time_raise(const Problem& problem, Goals& goals, const Watch&) {
    std::vector<double> below;
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const Effector& e = problem.effectors[i];
        EffectorGoals& g = goals.effectors[i];
        level(problem, e, g);
        below.assign(size_t(problem.frames), 0.0);
        for (int f = problem.first; f < problem.frames; ++f) {
            if (g.floor_m[size_t(f)] >= no_support_m || g.is_held[size_t(f)]) continue;
            const Quat R = turned_foot(problem, e, g, f);
            const Vec3 ankle = ankle_of(e, g, f);
            below[size_t(f)] = std::max(
                {0.0, heel_below(problem, e, g, ankle, R, f), ball_below(problem, e, g, ankle, R, f)});
        }
        raise_by(problem, g, below, raise_s);
    }
}

}  // namespace nb
