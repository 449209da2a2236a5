// The floor under an effector, for the passes along time.
#pragma once
#include "core/solve/time/goals.hpp"

namespace nb {

/// Height of the floor under an effector, a frame, world, m: that of what it stands on, in the air the lower
/// of the neighbours in time; `no_support_m` where none is known.
std::vector<double> floor_under(const Problem& problem, const Effector& e);

/// What is left of a floor at `level_m` below a point that the source has at a height (its own world): all of it but where
/// the source is well below it, which is beside it. m; `S_stature_m`: the source's.
double floor_beside(double level_m, double k, double S_height_m, double S_stature_m);

/// Height of the floor below one point: where the source holds that point well below the foot's floor (a heel
/// behind the edge of a step) there is none, and it goes down with the source.
double floor_below(const Problem& problem, const Effector& e, const EffectorGoals& g, FootPoint point, int f);
/// By how much heel or ball are below it, m; negative above.
double heel_below(const Problem& problem, const Effector& e, const EffectorGoals& g, const Vec3& ankle,
                  const Quat& R, int f);
double ball_below(const Problem& problem, const Effector& e, const EffectorGoals& g, const Vec3& ankle,
                  const Quat& R, int f);

/// Raises free feet by so much and more, smoothly over `time_s`; nowhere where they are held.
void raise_by(const Problem& problem, EffectorGoals& g, const std::vector<double>& least, double time_s);

}  // namespace nb
