// Matching along a chain: which rotation of a source chain each bone of a target chain takes.
//
// The world rotation since the aligned rest, Q, is a curve over the source chain's normalised length. Its
// knots stand at bone ends: Q at 0 is the parent role's, at s_i bone i's. A target bone takes Q at its own
// end. Equal counts match bone by bone. A bone of no length adds no knot; its rotation is part of the next.
#pragma once
#include <vector>

namespace nb {

/// Q of a target bone = the point u of the way from Q of source `a` to Q of source `b`. Indices count the
/// source chain's bones; -1 stands for the parent role.
struct ChainSample {
    int a = -1;
    int b = -1;
    double u = 0.0;
};

/// Lengths in metres, from the body outward, one a bone. One sample a target bone. With no source bones
/// every sample is the parent's.
std::vector<ChainSample> match_chain(const std::vector<double>& source_lengths_m,
                                     const std::vector<double>& target_lengths_m);

}  // namespace nb
