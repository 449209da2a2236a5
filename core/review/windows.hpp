// Review windows: spans in which a point of the source's foot rests, and the floor below. Found by fixed
// thresholds on the source alone; the contact pass has its own rules and code.
#pragma once
#include <string>
#include <vector>

#include "core/contact/floor.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

struct ReviewWindow {
    std::string point;  ///< "heel.left", "ball.right", "forepaw.left"
    int first = 0;
    int last = 0;          ///< not included
    double level_m = 0.0;  ///< of the floor there, in the source's world
};

/// A heel or ball rests while it is slower than 20 cm/s over +-25 ms and less than 5 cm above the lowest it
/// gets within +-0.75 s, for 0.1 s and more; lengths scaled to a stature of 175 cm (common practice, no
/// published source). Its level is the floor's nearest to the median of its heights; without a level within
/// 5 cm it rests on nothing (a heel behind the edge of a step, a raised toe) and is left out.
std::vector<ReviewWindow> find_review_windows(const Character& source, const WorldMotion& motion,
                                              double frame_time_s, int first_frame);

/// Height of the floor under a limb's end (source's world, a frame): its windows' level, in the air the lower
/// of the neighbours; `no_floor_m` where no window of that foot is near in time at all.
inline constexpr double no_floor_m = 1e30;
std::vector<double> floor_under(const std::vector<ReviewWindow>& windows, size_t limb, int frames);

}  // namespace nb
