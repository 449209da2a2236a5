// Touch-ups calm and damp, on one bone's rotations along time (relative to the bone above it, one a frame).
#pragma once
#include <vector>

#include "core/body/touch_layers.hpp"

namespace nb {

/// Where in time a touch-up is how much, one value a frame: `TouchSpan::weight` times the layer's.
std::vector<double> weights_of(const TouchSpan& when, double layer_weight, int frames, double start_s,
                               double frame_time_s);

/// Takes out what is faster than `cut_off_hz` (core/math/low_pass.hpp), by the weight. `keep`: share of it that stays
/// where the calmed motion itself is fast (its turning speed from the 75th to the 95th part in a hundred of the span's
/// frames, eased): a blow or a step stays sharp while a tremble goes. Frames of weight 0 are as they were, to the bit.
void calm_turns(std::vector<Quat>& R, double frame_time_s, double cut_off_hz, double keep,
                const std::vector<double>& weights);

/// Scales the swing about the own slow course (slower than `slow_hz`): `share` 0 leaves the course alone, 1 all as it
/// was. By the weight; frames of weight 0 stay to the bit.
void damp_turns(std::vector<Quat>& R, double frame_time_s, double share, double slow_hz,
                const std::vector<double>& weights);

/// Holds turns inside `most_rad` of `middle`: nothing changes up to half of it, beyond that the angle a becomes
///   h + (m - h) tanh((a - h) / (m - h)),  h = m / 2:
/// continuous in value and slope, never beyond m.
void hold_inside(std::vector<Quat>& R, const Quat& middle, double most_rad,
                 const std::vector<double>& weights);

}  // namespace nb
