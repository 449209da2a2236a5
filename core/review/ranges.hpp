// By how much joints go beyond people's ranges (core/rest/joint_ranges.hpp), over a take.
#pragma once
#include <string>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/rest/joint_ranges.hpp"

namespace nb {

/// By how much a joint goes over a range, by frame.
struct RangeExcess {
    std::string role;
    size_t range = 0;  ///< of `joint_ranges`
    std::vector<float> over_deg;
};

/// Of bodies on two legs: ways in which a joint goes over its range at all.
std::vector<RangeExcess> range_excess(const Character& body, const WorldMotion& motion, int first_frame);

}  // namespace nb
