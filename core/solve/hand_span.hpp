// A span in which a hand holds or touches, on the clock of the take's file, and how it is led into and out of it.
#pragma once
#include <algorithm>

#include "core/math/hermite.hpp"
#include "core/motion/take.hpp"

namespace nb {

/// 1 at a span, falling to 0 `lead_s` away from it.
inline double led_share(double away_s, double lead_s) {
    return smooth_step(std::clamp(1.0 - away_s / lead_s, 0.0, 1.0));
}

struct HandSpan {
    double from_s = 0.0, to_s = 0.0;
    bool is_from_begin = false, is_to_end = false;  ///< of the take
    double more_in_s = 0.0, more_out_s = 0.0;       ///< that it is led longer

    /// 1 in the span; before and after it led in and out.
    double led(double t_s, double lead_s) const {
        if (t_s < from_s) return led_share(from_s - t_s, lead_s + more_in_s);
        return led_share(std::max(0.0, t_s - to_s), lead_s + more_out_s);
    }
    bool contains(double t_s) const { return t_s >= from_s && t_s <= to_s; }
};

/// Of frames [first, last) of a take.
inline HandSpan span_of(int first, int last, const Take& take) {
    return {take.start_s + first * take.frame_time_s, take.start_s + (last - 1) * take.frame_time_s,
            first <= take.first_motion_frame + 1, last >= take.frames - 1};
}

}  // namespace nb
