// The place map: the one map from places of the source's world to places of the target's.
//
//   M(p) = o + k (p - o)      k what legs, or a person, make of distances; o a place on the floor that stays where it is
//
// Heights are over the floor of the world: o has none.
#pragma once
#include "core/math/rotation.hpp"

namespace nb {

struct PlaceMap {
    double k = 1.0;
    Vec3 about = Vec3::Zero();  ///< o, m; y is 0
    Vec3 aside = Vec3::Zero();  ///< in a scene: how far aside of it, m

    Vec3 operator()(const Vec3& p) const { return about + k * (p - about) + aside; }
    Vec3 inverse(const Vec3& p) const { return about + (p - about - aside) / k; }
};

}  // namespace nb
