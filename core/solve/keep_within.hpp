// Joints kept within people's ranges (core/rest/joint_ranges.hpp), where a limb or the neck is set so: after reach, hands and
// clear, before what touch-ups place.
//
// An angle a with the range m becomes, from `soft_deg` before its end on,
//   f(a) = m - soft + soft tanh((a - m + soft) / soft),
// which has its value and slope there and never passes m. The joint, with all below it, gets the least turn that brings all
// its ways there (their slopes by differences, three steps of Gauss and Newton), times the share that is set, times what
// contacts, touches and held things leave free of the limb.
#pragma once
#include <vector>

#include "core/rest/joint_ranges.hpp"
#include "core/solve/frames.hpp"

namespace nb {

struct PairedBodies;
struct Program;

inline constexpr double soft_range_deg = 10.0;

struct RangeOp {
    RangedJoint joint;
    double share = 1.0;
    size_t limb = limb_count;  ///< of `limb_names`; none: of the neck
    std::vector<int> below;    ///< the joint and all that hangs on it
};

/// From the body outward. After `compile_limbs`.
void compile_ranges(const PairedBodies& bodies, Program& program);
void keep_within(const Program& program, const SourceFrame& source, TargetFrame& target,
                 const FrameCorrection* held);

/// f, of an angle and its range, deg.
double softly_within(double angle_deg, double most_deg);

}  // namespace nb
