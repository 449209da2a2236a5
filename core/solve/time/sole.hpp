// Turns that bring a foot's underside onto a height, shared by the passes along time.
#pragma once
#include <vector>

#include "core/contact/sole.hpp"
#include "core/math/mean.hpp"

namespace nb {

/// The foot's axis to its side, about which heel and ball are up or down: unit, in the ankle's frame.
inline Vec3 side_of(const Sole& sole) {
    return sole.heel_J.cross(sole.heel_J - sole.ball_J).normalized();
}

/// Turn that takes `v` to the elevation at which its y is `height`, in its own upright plane; identity when
/// it is too short or upright. World axes, m.
Quat elevate(const Vec3& v, double height);

/// By how much toes turn up about `n`, the foot's axis to its side (unit), so that their tip comes as high as `least`
/// over their joint; `tip`: seen from it. 0 where it is, or cannot. World axes, m.
double toe_raise_rad(const Vec3& tip, const Vec3& n, double least);

}  // namespace nb
