// How one body's skin is at another's in a pose of both: vertices against triangles, nothing of the surfaces the solve goes by.
#pragma once
#include <array>

#include "core/review/skin_gap.hpp"

namespace nb {

class SkinBetween {
  public:
    /// Of bodies without meshes nothing is told. The characters must outlive it.
    SkinBetween(const Character& of, const Character& on);

    bool is_empty() const { return vertices_.empty() || triangles_.empty(); }

    struct Reading {
        /// The least height of the left and the right hand's vertices over the other body, m; below 0: inside.
        std::array<double, 2> gap_m{};
        double deepest_m = 0.0;  ///< of any vertex inside the other body
    };
    /// `reach_m`: what is farther off is told as that far.
    Reading read(const BodySkin& of, const BodySkin& on, double reach_m) const;

  private:
    struct Vertex {
        SkinCorner at;
        int hand = -1;  ///< 0 left, 1 right
    };
    std::vector<Vertex> vertices_;
    std::vector<std::array<SkinCorner, 3>> triangles_;
};

}  // namespace nb
