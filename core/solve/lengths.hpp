// Lengths that follow the source's: a target bone is 1 + share * (length now / length at rest - 1) times as
// long, lengths of the source's bone that drives it; of chains of unlike counts the whole chains' lengths.
#pragma once
#include <vector>

#include "core/solve/frames.hpp"

namespace nb {

struct PairedBodies;
struct Program;

struct LengthOp {
    std::vector<int> S_joints;  ///< from one to the next
    double S_rest_m = 0.0;
    double share = 0.0;
};

void compile_lengths(const PairedBodies& bodies, Program& program);
/// What the offset of a target joint is scaled by.
double length_factor(const Program& program, const SourceFrame& source, size_t joint);

}  // namespace nb
