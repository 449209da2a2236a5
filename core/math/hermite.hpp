// Cubic Hermite on 0 .. 1, and the smooth step.
#pragma once
#include <type_traits>

#include "core/math/rotation.hpp"

namespace nb {

/// From 0 at 0 to 1 at 1, without slope at both.
constexpr double smooth_step(double u) {
    return u * u * (3.0 - 2.0 * u);
}

/// Ends and slopes there, of the whole way.
template <typename Vector = Vec3>
Vector hermite(const std::type_identity_t<Vector>& a, const std::type_identity_t<Vector>& slope_a,
               const std::type_identity_t<Vector>& b, const std::type_identity_t<Vector>& slope_b, double u) {
    const double u2 = u * u;
    const double u3 = u2 * u;
    return (2 * u3 - 3 * u2 + 1) * a + (u3 - 2 * u2 + u) * slope_a + (3 * u2 - 2 * u3) * b +
           (u3 - u2) * slope_b;
}

}  // namespace nb
