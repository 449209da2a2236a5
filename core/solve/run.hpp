// Pass reach, longer runs: damped least squares from what angles give, the turns of all bones as small as can
// be (Wampler 1986, from memory).
#pragma once
#include <span>
#include <vector>

#include "core/solve/frames.hpp"
#include "core/solve/stretch.hpp"

namespace nb {

struct PairedBodies;
struct Program;

/// A run of any number of bones (tail, finger, spine, a user's own) that is carried by its tip.
struct RunOp {
    std::vector<int> T_joints;
    Vec3 T_end_J = Vec3::Zero();  ///< the tip in the last joint's frame, m
    int S_first = -1, S_last = -1;
    Vec3 S_end_J = Vec3::Zero();
    double scale = 1.0;  ///< length of the target's run by the source's
    double S_length_m = 0.0, T_length_m = 0.0;
    bool is_placed = false;
    double share = 1.0;
    double soften_from = usual_soften_from;
};

/// Chains beside the limbs that are carried by their tip.
void compile_runs(const PairedBodies& bodies, Program& program);
void reach_run(const Program& program, const RunOp& op, const SourceFrame& source, TargetFrame& target);

}  // namespace nb
