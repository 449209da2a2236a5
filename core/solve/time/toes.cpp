// Pass toes: toes below the floor are turned up about the foot's own axis to its side, so that toes that flip
// do not turn aside; a free foot whose toes are turned over in the take is raised by what is left.
#include <algorithm>
#include <cmath>

#include "core/math/curves.hpp"
#include "core/solve/time/floor.hpp"
#include "core/solve/time/passes.hpp"
#include "core/solve/time/sole.hpp"

namespace nb {

namespace {

constexpr double toe_s = 0.05;  // over which toes are raised and let down

void raise_toes(const Problem& problem, const Effector& e, EffectorGoals& g) {
    const Sole& sole = e.sole();
    const Vec3 side_J = side_of(sole);
    std::vector<double> raise(size_t(problem.frames), 0.0);
    for (int f = problem.first; f < problem.frames; ++f) {
        if (g.floor_m[size_t(f)] >= no_support_m) continue;
        const Quat C = g.foot(f);
        const Quat R = C * problem.foot(e, f);
        const double joint = (ankle_of(e, g, f) + R * sole.ball_J).y();
        const Vec3 tip = C * (problem.toe(e, f) * sole.tip_J);
        const double least = floor_below(problem, e, g, FootPoint::toetip, f) - joint;
        raise[size_t(f)] = toe_raise_rad(tip, R * side_J, least);
    }
    raise = smooth_cover(raise, problem.frames_in(toe_s));
    std::vector<double> left(size_t(problem.frames), 0.0);
    for (int f = problem.first; f < problem.frames; ++f) {
        const Quat C = g.foot(f);
        const Quat R = C * problem.foot(e, f);
        g.toe[size_t(f)] = exp_rotation(-raise[size_t(f)] * (R * side_J));
        if (g.floor_m[size_t(f)] >= no_support_m || g.is_held[size_t(f)]) continue;
        const Vec3 tip =
            ankle_of(e, g, f) + R * sole.ball_J + g.toe[size_t(f)] * (C * (problem.toe(e, f) * sole.tip_J));
        left[size_t(f)] = std::max(0.0, floor_below(problem, e, g, FootPoint::toetip, f) - tip.y());
    }
    raise_by(problem, g, left, toe_s);
}

}  // namespace

void time_toes(const Problem& problem, Goals& goals, const Watch&) {
    for (size_t i = 0; i < problem.effectors.size(); ++i)
        if (problem.effectors[i].sole().has_tip)
            raise_toes(problem, problem.effectors[i], goals.effectors[i]);
}

}  // namespace nb
