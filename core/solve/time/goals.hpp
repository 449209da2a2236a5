// What the passes along time write: one entry a frame, zero where nothing is held.
#pragma once
#include <vector>

#include "core/solve/time/corrections.hpp"
#include "core/solve/time/problem.hpp"

namespace nb {

struct EffectorGoals {
    std::vector<Vec3> turn;       ///< log of C: R_foot := C R_foot
    std::vector<Vec3> shift;      ///< d: ankle := asked + d, m
    std::vector<char> is_held;    ///< its place is held
    std::vector<char> is_sole;    ///< heel and ball both: one rigid pose
    std::vector<Vec3> place_S;    ///< by hold: where its point rests, in the support's frame
    std::vector<char> is_placed;  ///< by hold
    std::vector<double> floor_m;  ///< of the floor under it; `no_support_m` without one
    std::vector<double> weight;   ///< 1 held, falling to 0 beside that
    std::vector<Vec3> start_m;    ///< by which the hips move the limb's start
    std::vector<Quat> toe;        ///< of the toe, after C
    Quat foot(int f) const { return exp_rotation(turn[size_t(f)]); }
};

struct Goals {
    std::vector<EffectorGoals> effectors;  ///< by `Problem::effectors`
    std::vector<Vec3> hips_m;
    std::vector<Vec3> hips_turn;  ///< rotation vectors about the hip centre, rad
    std::vector<Deficit> deficits;
    std::vector<SolverSummary> summaries;

    /// The hips, and all limbs' starts with them; world, m.
    void move_hips(size_t f, const Vec3& by) {
        hips_m[f] += by;
        for (EffectorGoals& g : effectors) g.start_m[f] += by;
    }
};

Goals make_goals(const Problem& problem);
Corrections corrections_of(const Problem& problem, Goals&& goals);

/// Where the ankle goes; world, m.
inline Vec3 ankle_of(const Effector& e, const EffectorGoals& g, int f) {
    return e.asked_m[size_t(f)] + g.shift[size_t(f)];
}
/// From the limb's start, where the hips have moved it so far, to where the ankle goes; world, m.
inline Vec3 still_to_reach(const Problem& problem, const Effector& e, const EffectorGoals& g, int f) {
    return ankle_of(e, g, f) - problem.start(e, f) - g.start_m[size_t(f)];
}
/// C F: the foot's world rotation as it is turned so far.
inline Quat turned_foot(const Problem& problem, const Effector& e, const EffectorGoals& g, int f) {
    return g.foot(f) * problem.foot(e, f);
}
/// Turns the foot further about a point of it, seen from the ankle; world axes, m.
inline void turn_about(EffectorGoals& g, int f, const Quat& more, const Vec3& pivot) {
    g.turn[size_t(f)] = log_rotation(more * g.foot(f));
    g.shift[size_t(f)] += pivot - more * pivot;
}

/// Beside what it is given a curve is led in and out over this time.
inline constexpr double lead_s = 0.18;
/// Over which the slope of what is held is read, where it is led out.
inline constexpr double slope_s = 0.033;
/// Steepest slope of a shift where it is led out, at 175 cm; the same of a turn.
inline constexpr double most_shift_m_s = 0.4;
inline constexpr double most_turn_rad_s = 3.0;

}  // namespace nb
