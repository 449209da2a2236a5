// Radii of a part about its bone: how far out rays square to the bone leave its skin.
//
// Each cell of the grid is crossed by 2 x 2 rays; a ray ends at the outermost triangle it meets, exactly, so that a body of few
// and large triangles is as thick as it looks, not as its corners are, and of clothes in layers the outer counts. A cell has the
// mean of its rays; one that none meets (where another part's skin goes on) has the 90th percentile of the corners in it, else
// the mean of filled ones beside it; smoothed once.
#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/surface/surface.hpp"

namespace nb {

using SkinTriangle = std::array<Vec3, 3>;

/// `triangles_F`: in the part's frame, m. Empty where fewer than a sixth of the cells is met.
std::optional<decltype(PartSurface::radius_m)> radii_of(const std::vector<SkinTriangle>& triangles_F,
                                                        double length_m);

}  // namespace nb
