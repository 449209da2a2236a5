// Bones of the target that a pair moves otherwise than its map says (`PairingSettings::bones`).
//
// Turn: a bone that follows one of the source (a helper that keeps volume, a strap) turns on the bone above it as that
// one does since its rest,
//
//   R_WT = R_WT[above] R_WT0[above]^T  (q_above^T q)  R_WT0,   q = R_WS R_WS0^T of the source's bone and the one above it
//
// and goes with what becomes of the bone above, as what follows it at rest does. Place: with o the offset from the bone
// above in axes of the aligned rest, 0 at rest,
//
//   kept    o_T = o_T0
//   scaled  o_T = o_T0 + s (o_S - o_S0),   s = |o_T0| / |o_S0|, or the place map's k where one of them has no length
//   taken   o_T = o_S
//
// Source: the common rules of bone placement in retargeting (practice; formulas are this program's own).
#pragma once
#include <string>
#include <vector>

#include "core/solve/frames.hpp"

namespace nb {

struct PairedBodies;
struct Program;

/// Place of one joint of the target by that of one of the source.
struct PlacedBone {
    int S_joint = -1, S_above = -1;
    double by_source = 1.0;           ///< s; taken: 1
    Vec3 at_rest = Vec3::Zero();      ///< o_T0 - s o_S0, in axes of the aligned rest, m; taken: 0
    Quat S_above0, T_above0_inverse;  ///< R_WS0 and R_WT0^T of the bones above
};

/// After angles, before twists. `notes`: rules that do nothing and why, a sentence each.
void compile_bone_rules(const PairedBodies& bodies, Program& program, std::vector<std::string>& notes);
/// The turn of a joint of the kind `with` on the bone above it.
Quat turn_with(const Program& program, const SourceFrame& source, size_t joint);
/// Offset of a joint from the bone above, in that bone's frame, m; also where lengths follow.
Vec3 offset_now(const Program& program, const SourceFrame& source, size_t joint);

}  // namespace nb
