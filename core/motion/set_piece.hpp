// What stands or lies beside the body in a take, as far as a hand can touch it: triangles.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

struct SetPiece {
    std::string name;  ///< of its joint, else of its file
    int joint = -1;    ///< of the take's skeleton, which carries it; -1: it stands still
    std::vector<std::array<Vec3, 3>> triangles;  ///< in the joint's frame, else the take's world, m

    /// Distance of a point from the nearest of the triangles, in their frame, m; `beyond_m` where all are farther.
    double distance(const Vec3& p, double beyond_m) const;
    /// Whether a point is within `margin_m` of the box about all triangles, in their frame.
    bool is_about(const Vec3& p, double margin_m) const {
        return ((p - least_).array() >= -margin_m).all() && ((most_ - p).array() >= -margin_m).all();
    }
    /// Once all triangles are there.
    void measure();

  private:
    Vec3 least_ = Vec3::Zero(), most_ = Vec3::Zero();
};

}  // namespace nb
