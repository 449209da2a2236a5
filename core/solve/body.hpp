// The target's body as it is carried: places of its joints from their rotations.
#pragma once
#include <vector>

#include "core/math/rotation.hpp"
#include "core/motion/heading.hpp"
#include "core/solve/frames.hpp"

namespace nb {

struct PairedBodies;
struct Program;

/// Joints by index of the target's skeleton.
struct CarriedBody {
    std::vector<int> parents;
    std::vector<Vec3> offsets;            ///< p_PJ, m
    std::vector<std::vector<int>> below;  ///< by joint: all under it, parents first
    int hips = -1, thigh_left = -1, thigh_right = -1;
    int top = -1;                 ///< moves the whole body; the hips in most rigs (core/body/carried.hpp)
    std::vector<int> below_top;   ///< all below the top; empty when it is the hips
    std::vector<int> own_places;  ///< whose places are keys: the top, and what is carried by no parent
    int root = -1;                ///< the root bone that carries the travel; -1: none does
    BodyLines lines;              ///< by which its heading is told
    double stature_m = 1.75;

    /// Whether one joint moves another: that it is itself, or hangs on it.
    bool moves(int joint, int other) const {
        while (other >= 0 && other != joint) other = parents[size_t(other)];
        return other >= 0;
    }
};

void compile_body(const PairedBodies& bodies, Program& program);

/// Positions below the hips from rotations; what stands outside the body stays at rest. `p_WH`: of the hips, a
/// value, since callers give the place it is to overwrite.
void place_joints(const Program& program, const SourceFrame& source, Vec3 p_WH, TargetFrame& target);
/// What follows turned bones keeps its rest relative to them, or the turn of what it follows in the source; roles keep
/// their world rotation, and so do twist bones that are turned already.
void follow(const Program& program, const SourceFrame& source, TargetFrame& target, bool are_twists_turned);
/// The same, and positions after it.
void follow_anew(const Program& program, const SourceFrame& source, TargetFrame& target,
                 bool are_twists_turned);
/// The same under one joint alone: where all else stands as it would leave it.
void follow_below(const Program& program, const SourceFrame& source, TargetFrame& target, int joint,
                  bool are_twists_turned = false);

}  // namespace nb
