// The points of a hand that touch.
#pragma once
#include <vector>

#include "core/surface/surface.hpp"

namespace nb {

/// In its joint's frame, m: palm (half way to the knuckle of the middle finger, on the skin of the palm) and tip.
/// Empty without a hand.
std::vector<Vec3> hand_points(const Character& character, const BodySurface& surface, Side side);

}  // namespace nb
