// What the pass touch adds over a take: found 40 times a second where a hand touches, between them cubic (no rate of 30 frames a
// second or less leaves out a frame; nor is one where a hand begins or ends to lie), then led out of and into these spans, and
// smoothed, so that a hand that leaves quickly is let go of slowly.
//
// In a span, a frame: the shift of the wrist and the turn of the hand beside angles and reach (core/solve/near.hpp), in
// the frame of the hips. Outside of all spans, with d_i the shift at the end of span i that is nearer in time and g_i its
// lead (core/solve/hand_span.hpp):
//
//   (1 - prod (1 - g_i))  sum a_i d_i / sum a_i,   a_i = g_i / (1 - g_i)
//
// so one span fades, and between two one leads over to the other; and by what of hand and forearm would lie deeper in the
// body there than in the source. Then a Gaussian over +-0.12 s. Zero, to the
// bit, where nothing is led.
#pragma once
#include <functional>
#include <vector>

#include "core/solve/frames.hpp"

namespace nb {

struct Program;

/// Within which a touch is led in and out, and how far beyond it what is led reaches, s.
inline constexpr double touch_lead_s = 0.35, touch_smooth_s = 0.12;

/// `stand`: brings the target's frame up to before the pass touch. Empty where no hand touches.
std::array<std::vector<HandShift>, limb_count> hand_shifts(
    const Program& program, const WorldMotion& source, WorldMotion& target, int threads,
    const std::function<void(int frame, TargetFrame& target)>& stand);

}  // namespace nb
