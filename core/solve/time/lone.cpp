// Passes calm and lone: a foot that is held at one point.
//
// calm  It carries the ankle about that point: a tremble of its turn for a frame would move the whole leg.
//       There it is the mean of the frames beside it.
// lone  Such a point has the place given by a sole in its hold; else, where another point of the foot holds it up
//       to then, the place at which that leaves it; else the mean of its own free places; on its support.
#include <algorithm>
#include <array>
#include <cmath>

#include "core/solve/time/passes.hpp"
#include "core/solve/time/sole.hpp"

namespace nb {

namespace {

constexpr double handover_s = 0.05;
constexpr double calm_s = 0.02;

}  // namespace

void time_calm(const Problem& problem, Goals& goals, const Watch&) {
    const int reach = int(calm_s / problem.dt);
    std::vector<Quat> turned(size_t(problem.frames), Quat::Identity());
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const Effector& e = problem.effectors[i];
        EffectorGoals& g = goals.effectors[i];
        for (int f = problem.first; f < problem.frames; ++f)
            turned[size_t(f)] = turned_foot(problem, e, g, f);
        const auto is_lone = [&](int f) {
            return f >= problem.first && f < problem.frames && !g.is_sole[size_t(f)] && e.has_hold(f);
        };
        for (int f = problem.first; f < problem.frames; ++f) {
            if (!is_lone(f)) continue;
            int most = 0;
            while (most < reach && is_lone(f - most - 1) && is_lone(f + most + 1)) ++most;
            Eigen::Vector4d sum = Eigen::Vector4d::Zero();
            for (int at = f - most; at <= f + most; ++at) {
                const Quat& q = turned[size_t(at)];
                const double weight = 1.0 - std::abs(at - f) * problem.dt / calm_s;
                sum += (q.dot(turned[size_t(f)]) < 0.0 ? -weight : weight) * q.coeffs();
            }
            g.turn[size_t(f)] = log_rotation(Quat(sum.normalized()) * problem.foot(e, f).conjugate());
        }
    }
}

namespace {

/// Where another point of the foot was held up to where this one begins, or beside that, it stands where the foot
/// had put it then; false when there is none.
bool take_over(const Problem& problem, const Effector& e, EffectorGoals& g, size_t h) {
    const Hold& hold = e.holds[h];
    const int gap = problem.frames_in(handover_s);
    int from = -1;
    for (size_t other = 0; other < e.holds.size(); ++other) {
        const Hold& before = e.holds[other];
        if (other == h || before.point == hold.point || !g.is_placed[other] || before.first > hold.first ||
            before.last + gap < hold.first)
            continue;
        if (from < 0 || before.last > e.holds[size_t(from)].last) from = int(other);
    }
    if (from < 0) return false;
    const Hold& before = e.holds[size_t(from)];
    // The last frame in which the one before holds it still.
    const int at = std::min(before.last, hold.last) - 1;
    const Quat R = g.foot(at) * problem.foot(e, at);
    const Vec3 ankle =
        problem.X_WS(before, at) * g.place_S[size_t(from)] - problem.seen(e, before.point, R, at);
    const Rigid& X = problem.X_WS(hold, at);
    g.place_S[h] = X.R.conjugate() * Vec3(ankle + problem.seen(e, hold.point, R, at) - X.p);
    g.place_S[h].y() = 0.0;
    g.is_placed[h] = 1;
    return true;
}

}  // namespace

void time_lone(const Problem& problem, Goals& goals, const Watch&) {
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const Effector& e = problem.effectors[i];
        EffectorGoals& g = goals.effectors[i];
        std::vector<size_t> order(e.holds.size());
        for (size_t h = 0; h < order.size(); ++h) order[h] = h;
        std::stable_sort(order.begin(), order.end(),
                         [&](size_t a, size_t b) { return e.holds[a].first < e.holds[b].first; });
        for (const size_t h : order) {
            if (g.is_placed[h]) continue;
            const Hold& hold = e.holds[h];
            if (take_over(problem, e, g, h)) continue;
            Vec3 sum = Vec3::Zero();
            for (int f = hold.first; f < hold.last; ++f) {
                const Rigid& X = problem.X_WS(hold, f);
                const Vec3 at =
                    e.asked_m[size_t(f)] + problem.seen(e, hold.point, turned_foot(problem, e, g, f), f);
                sum += X.R.conjugate() * Vec3(at - X.p);
            }
            g.place_S[h] = sum / (hold.last - hold.first);
            g.place_S[h].y() = 0.0;
            g.is_placed[h] = 1;
        }
    }
}

}  // namespace nb
