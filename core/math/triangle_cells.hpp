// Triangles by cells of space: the nearest of many, within a reach.
#pragma once
#include <array>
#include <unordered_map>
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

class TriangleCells {
  public:
    /// Triangles that face outward, m. `reach_m`: what is farther off is not found.
    TriangleCells(std::vector<std::array<Vec3, 3>> triangles, double reach_m);

    struct Height {
        double m = 0.0;  ///< over the nearest; below 0 behind it; the reach when there is none
        Vec3 out =
            Vec3::Zero();  ///< its mean normal with all that are as near, unit; zero when there is none
    };
    Height height(const Vec3& q) const;
    /// Within the box about all, with a margin.
    bool is_near(const Vec3& q, double margin_m) const;

  private:
    struct Ball {
        Vec3 middle;
        double radius_m;
    };
    std::vector<std::array<Vec3, 3>> all_;
    std::vector<Ball> balls_;  ///< about each
    double reach_m_;
    Vec3 low_ = Vec3::Constant(1e30), high_ = Vec3::Constant(-1e30);
    std::unordered_map<long long, std::vector<int>> cells_;

    std::array<int, 3> cell(const Vec3& p) const;
};

}  // namespace nb
