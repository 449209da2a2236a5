// The floor a take stands on: the heights at which its feet come to rest. Part of what is known of a take;
// the solve and the review both read it.
#pragma once
#include "core/contact/sole.hpp"
#include "core/motion/kinematics.hpp"
#include "core/motion/marks.hpp"

namespace nb {

/// Levels of the places where balls rest (slower than 15 cm/s over +-25 ms, at 175 cm, for 0.1 s and more):
/// medians of the rests, joined while the closest two lie within 6 cm at 175 cm; a level's height is the
/// median of its rests, weighted by frames. Without any rest: one level, 0.
Floor find_floor(const Character& source, const WorldMotion& motion, double frame_time_s, int first_frame);

}  // namespace nb
