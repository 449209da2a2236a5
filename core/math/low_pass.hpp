// Low-pass of curves along time, without phase.
#pragma once
#include <array>
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// A filter of second order: a[0] y[n] = sum b[i] x[n - i] - sum a[i] y[n - i], a[0] = 1.
struct SecondOrder {
    std::array<double, 3> b{1, 0, 0}, a{1, 0, 0};
};

/// Butterworth's low-pass of second order by the bilinear transform, its corner prewarped (Oppenheim & Schafer,
/// Discrete-Time Signal Processing, from memory; the same coefficients as scipy.signal.butter(2, corner_hz, fs=fps)).
/// The corner is kept below 0.49 of the rate.
SecondOrder butterworth(double corner_hz, double fps);

/// Corner of a filter that is run both ways and asked to calm what is above `cut_off_hz`: both passes together keep
/// 98 % of what is at half the cut-off, 76 % at the cut-off itself, 6 % at three times. (Winter, Biomechanics and
/// Motor Control of Human Movement, raises the corner by 1 / 0.802 for 71 % at the cut-off; from memory.)
double corner_for_both_ways(double cut_off_hz);

/// Run forward and back over every column: no phase, the gain squared. Ends as scipy.signal.filtfilt has them: the
/// curve goes on beyond them turned about its end point for up to 9 values, and each run starts in the steady state
/// of its first value.
void filter_both_ways(const SecondOrder& filter, std::vector<Vec3>& values);

/// The same of rotations along time: their quaternions, of one sign from frame to frame, filtered column by column and
/// made unit again. Exact for what is small beside the slow part; a swing of 60 degrees to either side loses 0.1 %.
std::vector<Quat> filtered_both_ways(const SecondOrder& filter, const std::vector<Quat>& rotations);

}  // namespace nb
