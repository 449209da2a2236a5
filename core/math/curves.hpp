// Curves along time: filling what lies between given frames.
#pragma once
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// Fills the frames of `values` that are not `is_given`, continuous in value and slope (cubic Hermite; slopes
/// at the ends are the mean ones of up to `slope_frames` given frames, no steeper than `most_slope` a frame). Gaps of
/// up to 2 `ease` frames go from one end to the other; longer ones go to zero in `ease` frames, stay there,
/// and come back. Before the first and after the last given frame values go to zero the same way. Without any
/// given frame: all zero.
void fill_between(std::vector<Vec3>& values, const std::vector<char>& is_given, int ease, double most_slope,
                  int slope_frames = 4);

/// Frames to the nearest given one, 0 on it; beyond any take without one.
std::vector<int> frames_apart(const std::vector<char>& is_given);

/// 1 on given frames, falling to 0 in `ease` frames beside them, with zero slope at both ends.
std::vector<double> eased_weights(const std::vector<char>& is_given, int ease);

/// The largest (lowest) value within +-reach, fewer at the ends; linear in the number of values.
std::vector<double> largest_within(const std::vector<double>& values, int reach);
std::vector<double> lowest_within(std::vector<double> values, int reach);

/// Nowhere below `values`, and smooth: the largest value within twice the reach, then the mean over +-reach,
/// twice.
std::vector<double> smooth_cover(const std::vector<double>& values, int reach);

/// What of a curve is faster than about `reach` frames: values less their mean over +-reach, taken twice; within
/// each run of frames of one number by itself, narrower toward its ends and zero on them; zero where it is -1.
std::vector<Vec3> fast_part(const std::vector<Vec3>& values, const std::vector<int>& run_of, int reach);

}  // namespace nb
