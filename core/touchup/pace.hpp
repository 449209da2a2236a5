// Touch-up pace: a span of a take faster or slower; nothing outside it changes but the clock of what comes after.
#pragma once
#include <vector>

#include "core/body/touch_layers.hpp"
#include "core/motion/take.hpp"

namespace nb {

/// The clock of a paced take.
struct Pace {
    std::vector<double> at;  ///< a new frame: which frame of the take it shows
    double percent = 100.0;  ///< as it came out: the span's length is a whole number of frames
    /// Frame of the take to new frame.
    double to_new(double frame) const;
};

/// Speed 1 + w (percent / 100 - 1) of the take's own, w the span's weight: eased in and out. The whole of the span
/// with its eases is made a whole number of new frames long, so that frames before and after it are those of the take
/// to the bit. `start_s`: time of the take's first frame on the file's clock. A whole span: the take from its first
/// frame of motion on.
Pace pace_of(const Take& take, const TouchSpan& when, double percent, double start_s);

/// The take on that clock; its contacts move along.
Take paced(const Take& take, const Pace& pace);

}  // namespace nb
