// How thick a body is that shows no mesh: half breadths and half depths by stature.
//
// Means of men of ANSUR II (Gordon et al., 2012 Anthropometric Survey of U.S. Army Personnel; 175.6 cm; from memory):
// head breadth 15.4, length 19.9; neck circumference 39.8; chest breadth 28.9, depth 25.4; waist breadth 32.6, depth
// 23.7; hip breadth 34.4, buttock depth 25.0; biceps circumference 33 hanging; forearm 31; wrist 17.6; hand breadth
// 8.8, its thickness 3 (common practice); thigh 62.5; knee 38.5; calf 39.3; ankle 22.9; foot breadth 10.2, its height
// over the ball 6 (common practice). Lower trunk between waist and hip.
#pragma once
#include <array>
#include <string_view>

namespace nb {

/// Shares of stature: half the depth (the way the body faces; of feet: up) and half the breadth, at both ends.
struct PartBreadth {
    std::string_view part;
    double depth0, breadth0, depth1, breadth1;
};

inline constexpr std::array<PartBreadth, 11> part_breadths{{
    {"head", 0.0567, 0.0438, 0.0567, 0.0438},
    {"neck", 0.0361, 0.0361, 0.0361, 0.0361},
    {"chest", 0.0723, 0.0823, 0.0600, 0.0700},
    {"spine", 0.0675, 0.0928, 0.0700, 0.0880},
    {"hips", 0.0712, 0.0979, 0.0690, 0.0940},
    {"upperarm", 0.0320, 0.0320, 0.0285, 0.0285},
    {"forearm", 0.0281, 0.0281, 0.0160, 0.0160},
    {"hand", 0.0200, 0.0100, 0.0230, 0.0070},
    {"thigh", 0.0566, 0.0566, 0.0349, 0.0349},
    {"shin", 0.0349, 0.0349, 0.0208, 0.0208},
    {"foot", 0.0230, 0.0260, 0.0150, 0.0290},
}};

}  // namespace nb
