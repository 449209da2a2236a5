#include "core/motion/set_piece.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

namespace {

double squared_to_segment(const Vec3& p, const Vec3& a, const Vec3& b) {
    const Vec3 along = b - a;
    const double length = along.squaredNorm();
    const double t = length > 0.0 ? std::clamp((p - a).dot(along) / length, 0.0, 1.0) : 0.0;
    return (a + t * along - p).squaredNorm();
}

/// Over the triangle by its plane, else to its nearest side.
double squared_to_triangle(const Vec3& p, const std::array<Vec3, 3>& t) {
    const Vec3 n = (t[1] - t[0]).cross(t[2] - t[0]);
    bool is_over = n.squaredNorm() > 1e-24;
    for (size_t i = 0; i < 3 && is_over; ++i) is_over = n.dot((t[(i + 1) % 3] - t[i]).cross(p - t[i])) >= 0.0;
    if (is_over) {
        const double height = n.dot(p - t[0]);
        return height * height / n.squaredNorm();
    }
    return std::min({squared_to_segment(p, t[0], t[1]), squared_to_segment(p, t[1], t[2]),
                     squared_to_segment(p, t[2], t[0])});
}

}  // namespace

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
    for (const auto& triangle : triangles) least = std::min(least, squared_to_triangle(p, triangle));
    return std::sqrt(least);
}

}  // namespace nb
