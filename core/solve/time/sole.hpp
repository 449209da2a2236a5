// Turns that bring a foot's underside onto a height, shared by the passes along time.
#pragma once
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// Turn that takes `v` to the elevation at which its y is `height`, in its own upright plane; identity when
/// it is too short or upright. World axes, m.
Quat elevate(const Vec3& v, double height);

/// Mean of rotations near each other.
template <typename RotationAt>
Quat mean_rotation(const RotationAt& rotation_at, int first, int last) {
    const Quat reference = rotation_at(first);
    Eigen::Vector4d sum = Eigen::Vector4d::Zero();
    for (int f = first; f < last; ++f) {
        const Quat q = rotation_at(f);
        sum += (q.dot(reference) < 0.0 ? -1.0 : 1.0) * q.coeffs();
    }
    return Quat(sum.normalized());
}

}  // namespace nb
