#include "core/motion/set_piece.hpp"

#include <algorithm>
#include <cmath>

#include "core/math/triangle.hpp"

namespace nb {

void SetPiece::measure() {
    if (triangles.empty()) return;
    least_ = most_ = triangles.front()[0];
    for (const auto& triangle : triangles)
        for (const Vec3& corner : triangle) {
            least_ = least_.cwiseMin(corner);
            most_ = most_.cwiseMax(corner);
        }
}

double SetPiece::distance(const Vec3& p, double beyond_m) const {
    if (triangles.empty() || (p - p.cwiseMax(least_).cwiseMin(most_)).norm() > beyond_m) return beyond_m;
    double least = beyond_m * beyond_m;
    for (const auto& [a, b, c] : triangles)
        least = std::min(least, (p - nearest_on(p, a, b, c)).squaredNorm());
    return std::sqrt(least);
}

}  // namespace nb
