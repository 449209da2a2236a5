// Straighten: a way over the floor that bends becomes a straight one.
//
//   course   c(t): the hip centre over the floor, low-passed at `course_hz`, so that the sway of a walk is none of it;
//            its direction d(t), held where the body goes slower than `slow_m_s`
//   line     from c(first), along c(last) - c(first); at the way s(t) along the course the body is s(t) / s(last) of the
//            line on. Where ends must stay the line ends at c(last), else it is as long as the course was.
//   given    D(t) = turn by the line's direction less d(t) about c(t), then from c(t) to the line
//
// This program's own. Feet that stood slide by the turn; they are held afterwards, when the source is touched.
#pragma once
#include <vector>

#include "core/motion/heading.hpp"

namespace nb {

/// In every frame from `first` to `last`: about which place on the floor it is turned, by how much, and where that
/// place goes. Empty where the body goes less than 0.3 m.
struct Straightened {
    Vec3 about = Vec3::Zero();
    double turn_rad = 0.0;
    Vec3 move_m = Vec3::Zero();
};
std::vector<Straightened> straighten(const WorldMotion& motion, const BodyLines& lines, double frame_time_s,
                                     int first, int last, bool ends_stay);

}  // namespace nb
