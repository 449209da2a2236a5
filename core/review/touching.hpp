// What a hand's skin does at the own body's, in a motion of a body with a mesh: vertices against triangles
// (core/review/skin_gap.hpp), nothing of what the solve goes by.
//
// Gap: over the spans in which a hand touches the own body, the least height of the hand's vertices over the rest of
// the body; below 0 it is sunk in. Kept is a frame with a gap of 15 mm at most that is sunk in by 10 mm at most.
// Depth: how deep hand and forearm lie in head, trunk, legs or the other arm's hand, whatever touches. Both are looked at
// `looks_a_second` times a second, where nothing touches a fourth as often; between two looks the last one stands.
#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/rest/character.hpp"
#include "core/review/statistics.hpp"

namespace nb {

/// A hand on the own body over frames [first, last).
struct ToldTouch {
    Side side = Side::none;
    int first = 0, last = 0;
};

struct TouchReview {
    static constexpr double looks_a_second = 15.0;
    static constexpr double kept_gap_mm = 15.0, kept_depth_mm = 10.0, deep_mm = 20.0;

    Stat gap_mm;       ///< heights over 0, in touches
    Stat sunk_mm;      ///< depths of the hand, in touches
    Stat depth_mm;     ///< hand and forearm, all looks
    int touching = 0;  ///< looks at touches
    int kept = 0;
    /// Deep looks of the source itself by all; of sources with a mesh, where the target is deep at all.
    std::optional<double> source_deep_share;
    int looked_at = 0, deep = 0;  ///< all looks, both hands
    /// By frame, left and right, cm; 0 outside of touches. Empty without a mesh or without that hand.
    std::array<std::vector<float>, 2> gap_cm, depth_cm;

    double kept_share() const { return touching > 0 ? double(kept) / touching : 1.0; }
    double deep_share() const { return looked_at > 0 ? double(deep) / looked_at : 0.0; }
};

TouchReview review_touching(const Character& body, const WorldMotion& motion,
                            const std::vector<ToldTouch>& touches, int first_frame);

}  // namespace nb
