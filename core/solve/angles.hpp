// Passes gather and angles: every bone turns as the source's has turned since its rest.
//
// angles  Q_r = R_WJ_S * R_WJ_S0^T, the world rotation since the aligned rest; R_WJ_T = Q_r * R_WJ_T0.
//         Joints without a partner keep their aligned rest relative to their parent.
// gather  Where the source's limb has twist bones before the next role, the roll they carry belongs to
//         the limb: its role turns as the last of them does. Directions are as before.
#pragma once
#include "core/math/rotation.hpp"
#include "core/solve/frames.hpp"

namespace nb {

struct PairedBodies;
struct Program;

/// How one target joint gets its world rotation. S is the source, T the target, 0 the aligned rest.
struct AngleOp {
    enum class Kind {
        direct,  ///< R_WT = R_WS[a] * C,  C = R_WS0[a]^T * R_WT0
        blend,   ///< R_WT = interpolate(Q[a], Q[b], u) * C,  Q[x] = R_WS[x] * R_WS0[x]^T,  C = R_WT0
        follow,  ///< R_WT = R_WT[parent] * C,  C = the aligned (above the hips: stored) rest, R_PJ
        twist,   ///< as follow, then turned by the pass twist
        with,  ///< R_WT = R_WT[parent] * A0_inverse * R_WS[above]^T * R_WS[a] * C (core/solve/bone_rules.hpp)
        fold,  ///< R_WT = arc * Q[b] * C: forearm a and hand b of the source as one bone (`FoldOp`)
    };
    Kind kind = Kind::follow;
    int a = -1;
    int b = -1;
    double u = 0.0;
    Quat C = Quat::Identity();
    Quat A0_inverse = Quat::Identity();  ///< blend: R_WS0[a]^T; with: R_WT0[parent]^T R_WS0[above]
    Quat B0_inverse = Quat::Identity();  ///< blend, fold: R_WS0[b]^T
    int S_above = -1;                    ///< with: the bone above a
    int fold = -1;                       ///< fold: of `Program::folds`
    /// direct: the last twist bone of the source that lies in the limb before the next role. Its rotation has
    /// the roll that the limb's bone left to it.
    int gathered = -1;
    Quat gathered_C = Quat::Identity();
    int touched = -1;  ///< follow: of `TouchProgram::followers`; it follows as touch-ups turn it
};

/// A hand that the target lacks, folded into the forearm: as the hand turns, then swung on the shortest way (arc) until it
/// points from the elbow to the hand's end, as forearm and hand together do in the source.
struct FoldOp {
    Vec3 end_J = Vec3::Zero();   ///< the hand's end in the hand's frame, m
    Vec3 axis0 = Vec3::UnitX();  ///< from elbow to that end at the aligned rest
};

/// One op a target joint: hips, chains as they are matched, then roles beside the chains (eyes, jaw; a dog's
/// tail, ears and paws) by their name.
void compile_angles(const PairedBodies& bodies, Program& program);

/// The point u of the way from turn a to turn b. Up to 100 degrees apart on the shortest geodesic; beyond,
/// where no joint bends, the way is led back to a at 180 degrees, so that nothing jumps where the shorter way
/// round changes sides.
Quat blend_turns(const Quat& a, const Quat& b, double u);

void pass_angles(const Program& program, const SourceFrame& source, TargetFrame& target);

}  // namespace nb
