// How often along a take something is looked at that changes slowly.
#pragma once
#include <algorithm>
#include <cmath>

namespace nb {

/// Every how many frames, for about so many looks a second; 1 at least. A frame's time is rounded in many files: 1.4999 is a half.
inline int look_step(double frame_time_s, double looks_a_second) {
    constexpr double rounded = 1e-3;
    return std::max(1, int(std::lround(rounded + 1.0 / (looks_a_second * frame_time_s))));
}

}  // namespace nb
