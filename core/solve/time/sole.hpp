// Turns that bring a foot's underside onto a height, shared by the passes along time.
#pragma once
#include <vector>

#include "core/contact/sole.hpp"
#include "core/math/rotation.hpp"

namespace nb {

/// The foot's axis to its side, about which heel and ball are up or down: unit, in the ankle's frame.
inline Vec3 side_of(const Sole& sole) {
    return sole.heel_J.cross(sole.heel_J - sole.ball_J).normalized();
}

/// Turn that takes `v` to the elevation at which its y is `height`, in its own upright plane; identity when
/// it is too short or upright. World axes, m.
Quat elevate(const Vec3& v, double height);

/// Mean of rotations, of whatever sign: the largest eigenvector of sum q q^T (Markley and others 2007, Averaging
/// quaternions, from memory), also where they are far apart; where no turn is nearer to all than others the
/// middle one of them.
Quat mean_of(const Eigen::Matrix4d& sum, const Quat& middle);
template <typename RotationAt>
Quat mean_rotation(const RotationAt& rotation_at, int first, int last) {
    Eigen::Matrix4d sum = Eigen::Matrix4d::Zero();
    for (int f = first; f < last; ++f) {
        const Eigen::Vector4d q = Quat(rotation_at(f)).coeffs();
        sum += q * q.transpose();
    }
    return mean_of(sum, rotation_at(first + (last - first) / 2));
}

}  // namespace nb
