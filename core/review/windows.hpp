// Review windows: spans in which a point of the source's foot rests, and the ground below. Found by fixed
// thresholds on the source alone; the contact pass has its own rules and code.
#pragma once
#include <string>
#include <vector>

#include "core/review/ground.hpp"

namespace nb {

struct ReviewWindow {
    std::string point;  ///< "heel.left", "ball.right", "forepaw.left"
    int first = 0;
    int last = 0;          ///< not included
    double level_m = 0.0;  ///< of the ground there, in the source's world
};

/// A heel or ball rests while it is slower than 20 cm/s beside the ground over +-25 ms and less than 5 cm above
/// the lowest it gets within +-0.75 s, for 0.1 s and more (limits grow in a body that runs: `Watched::grown`);
/// lengths scaled to a stature of 175 cm (common practice, no published source). Its level is the ground's
/// nearest to the median of its heights; without a level within 5 cm, or between two and nearer to neither than
/// 0.3 of their distance, it rests on nothing (a heel behind the edge of a step, a raised toe) and is left out.
std::vector<ReviewWindow> find_review_windows(const Character& source, const WorldMotion& motion,
                                              double frame_time_s, int first_frame);
/// The same in what is watched already, over `ground` (`find_ground`).
std::vector<ReviewWindow> find_review_windows(const Watched& watched, const std::vector<double>& ground);

/// Height of the floor under an end (source's world, a frame): its windows' level, in the air the lower of the
/// neighbours; `no_floor_m` where no window of that foot is near in time at all.
inline constexpr double no_floor_m = 1e30;
std::vector<double> floor_under(const std::vector<ReviewWindow>& windows, const StandingEnd& end, int frames);

}  // namespace nb
