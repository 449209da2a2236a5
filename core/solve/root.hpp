// Pass root: the hip centre (midpoint of the thigh joints) goes horizontally by the place map, p_T = M(p_S), at
// height a_T + k (h_S - a_S), a = ankle height of the flat foot. A foot that stands in the source then stands
// in the target, and a crouch stays a crouch.
#pragma once
#include "core/solve/frames.hpp"

namespace nb {

struct PairedBodies;
struct Program;

struct RootOp {
    int S_thigh_left = -1, S_thigh_right = -1;
    double S_ankle_m = 0.0, T_ankle_m = 0.0;  ///< ankle height of the flat foot
    Vec3 T_hip_centre = Vec3::Zero();         ///< from the hips joint, seen from it, m
    Vec3 T_rest_hip_centre = Vec3::Zero();    ///< in the world, when the pass is left out
};

void compile_root(const PairedBodies& bodies, Program& program);

/// Sets positions from rotations, the hip centre placed as the root pass says (or at rest when it is off).
void pass_root(const Program& program, const SourceFrame& source, TargetFrame& target,
               const FrameCorrection* held = nullptr);

}  // namespace nb
