// Many triangles, those that lie together in patches: the nearest of them, within a reach.
#pragma once
#include <array>
#include <cstdint>
#include <utility>
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// Places in parts of at most `most` that lie together: halved along the longest way, and again.
struct PlaceParts {
    std::vector<std::uint32_t> order;
    std::vector<std::pair<size_t, size_t>> ranges;  ///< of the order: first, and past the last
};
PlaceParts in_parts(std::vector<Vec3> places, size_t most);

struct Ball {
    Vec3 middle = Vec3::Zero();
    double radius_m = 0.0;
};

/// Triangles that face outward, m.
class TrianglePatches {
  public:
    TrianglePatches() = default;
    explicit TrianglePatches(const std::vector<std::array<Vec3, 3>>& triangles);

    struct Height {
        double m = 0.0;  ///< over the nearest; below 0 behind it; the reach when there is none
        Vec3 out =
            Vec3::Zero();  ///< its mean normal with all that are as near (edges, corners), unit; zero: none
    };
    Height height(const Vec3& q, double reach_m) const;
    /// Those that can be nearest to a point within `ball`: heights of such points over them are the same.
    void near(const Ball& ball, double reach_m, TrianglePatches& found) const;

    struct Triangle {
        Vec3 a, b, c, middle;
        double radius_m;

        explicit Triangle(const std::array<Vec3, 3>& corners);
        /// Whether a place is within a distance of the ball about it.
        bool is_within(const Vec3& q, double distance_m) const {
            const double beyond = distance_m + radius_m;
            return (q - middle).squaredNorm() <= beyond * beyond;
        }
    };
    const std::vector<Triangle>& triangles() const { return triangles_; }
    bool is_empty() const { return triangles_.empty(); }
    void add(const Triangle& triangle) { triangles_.push_back(triangle); }
    /// What was added since the last is a patch; all of it lies in `ball`.
    void end_patch(const Ball& ball);

  private:
    struct Patch {
        size_t first, last;
        Ball ball;
    };
    std::vector<Triangle> triangles_;
    std::vector<Patch> patches_;
};

}  // namespace nb
