// Where frames lie in drawings that stand under one another: strip, lanes, curves.
#pragma once
#include <algorithm>
#include <cmath>

namespace nb {

struct FrameScale {
    /// Left and right of the part that stands for the frames.
    static constexpr int left_px = 104;
    static constexpr int right_px = 16;
    int drawn_width = 0;  ///< of the whole drawing
    int frames = 0;

    double width() const { return std::max(1, drawn_width - left_px - right_px); }
    double x_of(double frame) const { return left_px + width() * frame / std::max(1, frames); }
    /// Fractional, not clamped.
    double frame_at(double x) const { return (x - left_px) / width() * frames; }
};

}  // namespace nb
