// The floor a take stands on: the heights at which its feet come to rest, and whether it runs under them.
#pragma once
#include "core/contact/sole.hpp"
#include "core/contact/tracks.hpp"
#include "core/motion/kinematics.hpp"
#include "core/motion/marks.hpp"

namespace nb {

/// Levels of the places where balls rest (slower than 15 cm/s over +-25 ms, at 175 cm, for 0.1 s and more;
/// thresholds grow with the speed of the body): medians of the rests, joined while the closest two lie within
/// 6 cm at 175 cm; a level is the median of all its heights. Without any rest: one
/// level, 0.
///
/// A cycle that treads on the spot has no rests: its body stays about while its feet, when they are low, go
/// back at one speed. Then the floor moves at that speed, and all is seen against it.
Floor find_floor(const Character& source, const WorldMotion& motion, double frame_time_s, int first_frame);
/// The same; `tracks` are seen against the floor afterwards.
Floor find_floor(BodyTracks& tracks);

}  // namespace nb
