// The points of a hand that touch, of the elbow, of the sole.
#pragma once
#include <array>
#include <optional>
#include <string_view>
#include <vector>

#include "core/surface/surface.hpp"

namespace nb {

/// In the order of `hand_points`.
inline constexpr std::array<const char*, 3> hand_point_names{"palm", "tips", "back"};
/// Of those names; empty for any other word.
std::optional<size_t> hand_point_index(std::string_view name);

/// In its joint's frame, m: palm (half way to the knuckle of the middle finger, on the skin of the palm), tip, and the
/// back of the hand over the palm. Empty without a hand.
std::vector<Vec3> hand_points(const Character& character, const BodySurface& surface, Side side);
/// The tip of the elbow in the forearm's frame, m: on the skin at its begin, behind. Empty without a forearm.
std::optional<Vec3> elbow_point(const BodySurface& surface, Side side);
/// The middle of the sole in the foot's frame, m. Empty without a foot.
std::optional<Vec3> sole_point(const BodySurface& surface, Side side);

}  // namespace nb
