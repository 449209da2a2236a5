// Pass roll: where a foot's ball is held though the source goes on (`Effector::rests`), and the leg does not reach,
// the heel comes up before the hips give: the foot turns about its ball, over its own axis to the side, until the
// ankle is within reach, up to 60 degrees. With u from the limb's start to the ball and w from the ball to the ankle the turn t solves
//   u . Rot(n, t) w = (D^2 - |u|^2 - |w|^2) / 2,   D the longest the leg may be.
#include <algorithm>
#include <cmath>

#include "core/math/curves.hpp"
#include "core/solve/stretch.hpp"
#include "core/solve/time/passes.hpp"
#include "core/solve/time/sole.hpp"

namespace nb {

namespace {

constexpr double roll_s = 0.03;  // over which it comes and goes
constexpr double most_roll_rad = pi / 3.0;

/// The turn about unit axis n, on the way that raises w, that brings |u + Rot(n, turn) w| down to D, or as far down
/// as that way goes; 0 where it leads nowhere nearer.
double roll_for(const Vec3& u, const Vec3& w, const Vec3& n, double D) {
    const Vec3 u_flat = u - n * n.dot(u);
    const Vec3 w_flat = w - n * n.dot(w);
    const double radius = u_flat.norm() * w_flat.norm();
    if (radius < 1e-12) return 0.0;
    const double straight = std::atan2(n.dot(w_flat.cross(u_flat)), w_flat.dot(u_flat));
    const double up = n.cross(w).y() > 0.0 ? 1.0 : -1.0;
    // |u + Rot w|^2 = |u + w|^2 + 2 radius (cos(turn - straight) - cos(straight))
    const double now = std::cos(straight);
    const double wanted = now - 0.5 * ((u + w).squaredNorm() - D * D) / radius;
    double best = most_roll_rad;
    if (std::abs(wanted) <= 1.0) {
        const double off = std::acos(wanted);
        for (const double turn : {straight + off, straight - off})
            if (const double ahead = up * std::remainder(turn, 2.0 * pi); ahead > 0.0)
                best = std::min(best, ahead);
    }
    return std::cos(up * best - straight) < now ? up * best : 0.0;
}

}  // namespace

void time_roll(const Problem& problem, Goals& goals, const Watch&) {
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const Effector& e = problem.effectors[i];
        EffectorGoals& g = goals.effectors[i];
        const Sole& sole = e.sole();
        if (sole.end != LimbEnd::foot || e.holds.empty()) continue;
        const Vec3 side_J = side_of(sole);
        std::vector<double> roll(size_t(problem.frames), 0.0);
        double up = 1.0;
        for (int f = problem.first; f < problem.frames; ++f) {
            if (!g.is_held[size_t(f)] || !e.hold(FootPoint::ball, f)) continue;
            const Vec3 to = still_to_reach(problem, e, g, f);
            const double D = e.length_m[size_t(f)] * held_stretch(e.S_stretch[size_t(f)], e.op->T_hock >= 0);
            const double missing = (1.0 - e.rests[size_t(f)]) * (to.norm() - D);
            if (missing <= 0.0) continue;
            const Quat R = turned_foot(problem, e, g, f);
            const Vec3 w = -(R * sole.ball_J);
            const double turn = roll_for(to - w, w, R * side_J, to.norm() - missing);
            if (turn == 0.0) continue;
            up = turn < 0.0 ? -1.0 : 1.0;
            roll[size_t(f)] = std::abs(turn);
        }
        roll = smooth_cover(roll, problem.frames_in(roll_s));
        for (int f = problem.first; f < problem.frames; ++f) {
            if (roll[size_t(f)] <= 0.0) continue;
            const Quat R = turned_foot(problem, e, g, f);
            turn_about(g, f, exp_rotation(up * roll[size_t(f)] * (R * side_J)), R * sole.ball_J);
        }
    }
}

}  // namespace nb
