// Passes give way and release: the hips rise where a leg cannot be bent so far that its foot stays where it is held, and
// give way so that what is held can be reached (core/solve/give_way.hpp),
// as far as they are asked to; what stays out of reach is released by as much as is missing and listed.
#include <algorithm>
#include <cmath>

#include "core/math/curves.hpp"
#include "core/solve/give_way.hpp"
#include "core/solve/stretch.hpp"
#include "core/solve/time/passes.hpp"

namespace nb {

namespace {

/// What is held counts as reached up to this stretch.
constexpr double longest_reach = 0.9999;
constexpr double rise_s = 0.1;           // over which hips rise and come down again
constexpr double least_unfolded = 1.03;  // of a leg's length when it is wholly bent: nearer it whirls

/// By how much hips that are h higher have the ankle no nearer than L, `to` from the limb's start:
/// |to - h Y| = L, the way up.
double rise_for(const Vec3& to, double L) {
    const double root = to.y() * to.y() - to.squaredNorm() + L * L;
    return root > 0.0 ? std::max(0.0, to.y() + std::sqrt(root)) : 0.0;
}

/// A leg whose bones are of unlike length cannot bring its foot under the hips: what is held asks them to rise.
void rise(const Problem& problem, Goals& goals) {
    std::vector<double> up(size_t(problem.frames), 0.0);
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const Effector& e = problem.effectors[i];
        const EffectorGoals& g = goals.effectors[i];
        if (!e.op->is_standing) continue;
        for (int f = problem.first; f < problem.frames; ++f)
            if (g.weight[size_t(f)] > 0.0)
                up[size_t(f)] = std::max(
                    up[size_t(f)], rise_for(still_to_reach(problem, e, g, f), least_unfolded * e.folded_m));
    }
    if (std::all_of(up.begin(), up.end(), [](double one) { return one <= 0.0; })) return;
    up = smooth_cover(up, problem.frames_in(rise_s));
    for (size_t f = 0; f < up.size(); ++f) goals.move_hips(f, up[f] * Vec3::UnitY());
}

}  // namespace

void time_give_way(const Problem& problem, Goals& goals, const Watch& watch) {
    rise(problem, goals);
    std::vector<HeldReach> reaches;
    for (int f = problem.first; f < problem.frames; ++f)
        for (size_t i = 0; i < problem.effectors.size(); ++i) {
            const Effector& e = problem.effectors[i];
            const EffectorGoals& g = goals.effectors[i];
            const double gives = e.hips_give[size_t(f)];
            const double weight = g.weight[size_t(f)];
            if (gives <= 0.0 || weight <= 0.0) continue;
            HeldReach reach;
            reach.frame = f;
            reach.to = still_to_reach(problem, e, g, f);
            reach.limit_m =
                led_reach_m(e.length_m[size_t(f)], e.S_stretch[size_t(f)], e.op->T_hock >= 0, weight);
            // Only their share of what is missing is asked of the hips.
            reach.limit_m += (1.0 - gives) * std::max(0.0, reach.to.norm() - reach.limit_m);
            reaches.push_back(reach);
        }
    const std::vector<Vec3> given =
        give_way(problem.frames, problem.dt, reaches, {}, [&](const GiveSpan& span, double done) {
            goals.summaries.push_back(
                {"give way", span.first, span.last, span.rounds, span.residual_m, span.is_converged});
            watch.look(done);
        });
    for (size_t f = 0; f < given.size(); ++f) goals.move_hips(f, given[f]);
}

void time_release(const Problem& problem, Goals& goals, const Watch&) {
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const Effector& e = problem.effectors[i];
        const EffectorGoals& g = goals.effectors[i];
        const std::string point = e.sole().end_name();
        for (int f = problem.first; f < problem.frames; ++f) {
            if (!g.is_held[size_t(f)]) continue;
            const double missing =
                still_to_reach(problem, e, g, f).norm() - longest_reach * e.length_m[size_t(f)];
            if (missing < 0.0005) continue;
            auto& deficits = goals.deficits;
            if (deficits.empty() || deficits.back().point != point || deficits.back().last != f)
                deficits.push_back({point, f, f, f, 0.0});
            deficits.back().last = f + 1;
            if (missing > deficits.back().missing_m) {
                deficits.back().missing_m = missing;
                deficits.back().worst_frame = f;
            }
        }
    }
}

}  // namespace nb
