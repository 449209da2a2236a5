// The trunk leans where arms do not reach what their hands hold or lie on, by a share that is asked for (`trunk_gives`).
//
// With b the first joint of the spine, s a shoulder, d where its hand lacks m metres beyond what the clavicle gives, beyond a
// stretch of 0.95 or what the arm has: about a = (s - b) x d by
//
//   w = share m |a| / (|a|^2 + (0.3 |s - b|)^2)
//
// summed over the arms as rotation vectors, up to 15 degrees (most tanh(|w| / most)), spread evenly over the joints of the
// spine. Clavicles go with it; upper arms, neck and head keep their turn. A trunk that is pulled along itself cannot help:
// the second term lets it be. Limits are this program's own.
#pragma once
#include <span>

#include "core/solve/frames.hpp"

namespace nb {

struct LimbOp;
struct Program;

/// What has to come where: the limb's tip, or of an elbow its middle joint; world, m.
struct LeanAsk {
    const LimbOp* limb = nullptr;
    Vec3 to = Vec3::Zero();
    bool is_elbow = false;
};

/// Of those whose limb's trunk gives. All that hangs on it follows.
void lean_trunk(const Program& program, std::span<const LeanAsk> asks, const SourceFrame& source,
                TargetFrame& target);

}  // namespace nb
