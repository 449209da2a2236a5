// Smooth values between few.
#pragma once
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// Values at whole numbers 0 .. n - 1, between them a natural cubic spline: continuous in value, slope and bend, no bend at
/// its ends (de Boor, A Practical Guide to Splines; from memory). One column a value.
class EvenSpline {
  public:
    explicit EvenSpline(Eigen::Matrix4Xd values);
    /// At x in [0, n - 1].
    Eigen::Vector4d at(double x) const;

  private:
    Eigen::Matrix4Xd values_, bends_;  ///< second derivatives at the values
};

}  // namespace nb
