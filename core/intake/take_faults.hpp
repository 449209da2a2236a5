// Faults of a recording itself, told before they are blamed on the transfer. Thresholds are this program's
// own and relative to the take's motion; no source.
#pragma once
#include <vector>

#include "core/body/hops.hpp"
#include "core/body/roles.hpp"
#include "core/motion/take.hpp"

namespace nb {

/// Jitter: a joint whose angular acceleration changes sign nearly every frame while it hardly goes anywhere.
/// Share of frames in which the second difference of the rotation is over `jitter_deg` and turns against the
/// one before; over the whole take.
struct Jitter {
    int joint = -1;
    double median_deg = 0.0;  ///< of the second difference in those frames
    double share = 0.0;       ///< of all frames, 0..1
    int worst_frame = 0;
};
/// Joints that jitter in more than a fifth of the frames, worst first.
std::vector<Jitter> find_jitter(const Take& take);

/// Frames first up to, not including, last in which nothing of the body changes: at least 0.1 s, in a take
/// that moves otherwise.
struct Span {
    int first = 0;
    int last = 0;
};
std::vector<Span> find_frozen(const Take& take);

/// Joints that never turn, of those with a role.
std::vector<int> find_still(const RoleMap& roles, const Take& take);

}  // namespace nb
