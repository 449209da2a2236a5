// Means of rotations.
#pragma once
#include "core/math/rotation.hpp"

namespace nb {

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
