// Touch-up loop: a span of a take that goes on into itself.
#pragma once
#include "core/motion/heading.hpp"
#include "core/motion/take.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

/// How far first and last frame of a span were from each other, travel and heading left out.
struct LoopGap {
    double turn_rad = 0.0;     ///< largest of a joint's turn on its parent, and of the body's tilt
    double height_m = 0.0;     ///< of the body's top joint
    double travel_m = 0.0;     ///< of one cycle over the floor; kept
    double heading_rad = 0.0;  ///< turned in one cycle; kept
};

/// Closes frames `first` .. `last`: pose and velocity at `last` become those at `first`, one travel further. Before
/// `last - blend` (all of the span with blend 0 or longer than it) nothing changes. What is added to each joint's turn,
/// as a rotation vector on the right, and to the height and tilt of the top joint, is the cubic with
///   d = 0, d' = 0 at its beginning (over all of the span: half of the difference of velocities),
///   d = the gap, d' = the difference of velocities (the other half) at `last`;
/// velocities by one-sided differences of second order. `top`: the joint that moves the body, whose place has keys.
/// Needs five frames; fewer are left alone.
LoopGap close_loop(const Skeleton& skeleton, Take& take, int top, const BodyLines& lines, int first, int last,
                   int blend);

/// On the spot: from `first` to `last` the travel between these over the floor is taken out evenly, later frames by all
/// of it. How the body turns stays.
void take_travel_out(const Skeleton& skeleton, Take& take, int top, const BodyLines& lines, int first,
                     int last);

}  // namespace nb
