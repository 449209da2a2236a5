// Bodies that would stand in each other stand apart: by how much each cast goes aside of where the scene's distances have it.
//
// For two bodies, c over the floor, the same over the whole scene, so that no foot slides and no path bends:
//
//   minimise |c|^2   so that   h + n . c >= min(0, s h_S)   for every point that lies low, at every look
//
// h the height of a point of the one's trunk, head or leg over the other's (core/surface), n out of that, h_S the least that the
// sources have at that look, s the stature beside the source's (1 at most). Heights are not linear: rows are made anew with c until
// it stays. Each goes half of it; 30 cm at most. Feet are looked at, too, where that adds 10 cm at most at 175 cm. Where nobody
// stands in anybody c is zero.
// The quadratic programme by Hildreth's method (Hildreth, A quadratic programming procedure, 1957; from memory).
#pragma once
#include <string>
#include <vector>

#include "core/scene/touches.hpp"

namespace nb {

inline constexpr double most_aside_m = 0.3;

struct Asides {
    std::vector<Vec3> of_casts;      ///< on the targets' floor, m
    std::vector<std::string> notes;  ///< a sentence for each pair
};

/// `alone`: targets as they are by themselves.
Asides stand_apart(std::span<const Cast> casts, std::span<const CastSkins> skins,
                   std::span<const WorldMotion> alone);

}  // namespace nb
