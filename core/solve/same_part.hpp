// The parts of two bodies that are the same, for places on the skin of one to be found on the other.
#pragma once
#include <optional>

#include "core/surface/surface.hpp"

namespace nb {

/// A part of the source's surface and what is that of the target's: s_T = s_at_0 + s_by_s s_S.
struct PartPair {
    size_t S = 0, T = 0;
    double s_at_0 = 0.0, s_by_s = 1.0;
};

/// The part of the target that is what a part of the source is: of the same role; of the trunk, which bodies have in
/// unlike many bones, and of the neck the one that lies as far up.
std::optional<PartPair> same_part(const Character& S_body, const BodySurface& S, size_t s,
                                  const Character& T_body, const BodySurface& T);

/// The source's place on one of its parts, on the target's; heights by how much thicker that is, no less than `by_stature`.
SurfacePlace place_on_target(const BodySurface& S, const BodySurface& T, const PartPair& pair,
                             double by_stature, const SurfacePlace& at);

/// What a height over the skin is multiplied by: how much thicker the target's part is, no less than how much taller its
/// body.
double height_ratio(const PartSurface& S, const PartSurface& T, double by_stature);

}  // namespace nb
