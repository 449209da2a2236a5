// Pass reach, limbs: the tip goes to start_T + scale * (tip - start)_S, or to its place k p_S in the world
// (legs: at the height of the flat foot, as the hips). Two bones, closed form: the knee bends about the hinge
// n = Q * n0 until the distance is right, then the limb is turned rigidly so that start->tip points where it
// should, with n as second axis. n is carried by the body and never degenerates, so a straight limb does not
// flip. Feet and hands keep their world rotation. A dog's limb has its hock between: hind foot and shin are
// one bone for the reach, as angles have them to each other. The pole turns n about start->tip. When a tip is
// out of reach: `soften_stretch`, and the clavicle gives (core/solve/shoulder.hpp).
#pragma once
#include <array>
#include <span>

#include "core/contact/sole.hpp"
#include "core/solve/frames.hpp"
#include "core/solve/shoulder.hpp"
#include "core/solve/stretch.hpp"

namespace nb {

struct PairedBodies;
struct Program;

/// A limb whose tip can be carried, held, or whose middle joint is turned aside. Two bones; of a dog's leg
/// the third one (hind foot, fore hand) stays to the second as angles have it, so that the hock keeps the
/// source's angle.
struct LimbOp {
    size_t limb = 0;                           ///< of `limb_names`
    int S_start = -1, S_mid = -1, S_tip = -1;  ///< source joints
    int T_start = -1, T_mid = -1, T_tip = -1;  ///< target joints
    int T_hock = -1;         ///< target joint between mid and tip that turns with mid; -1: none
    int S_hinge = -1;        ///< source joint whose Q turns the hinge: shin for legs, upper arm for arms
    Quat S_hinge0_inverse;   ///< R_WJ_S0^T of that joint
    int S_hinge_plain = -1;  ///< the same joint when nothing is gathered
    Quat S_hinge_plain0_inverse;
    Vec3 n0;             ///< hinge axis at the source's aligned rest, world axes
    double scale = 1.0;  ///< length of the target's limb by the source's, mean of both sides
    double S_over_m = 0.0, T_over_m = 0.0;  ///< of leg and paw: height of the tip when it stands
    bool is_placed = false;  ///< the tip's place crosses by the place map; else relative to the limb's start
    double share = 0.0;      ///< of the tip's place that crosses; the rest is as angles have it
    double soften_from = usual_soften_from;  ///< stretch beyond which the reach is eased
    double pole_rad = 0.0;                   ///< the middle joint turned about start -> tip
    ShoulderOp shoulder;                     ///< of an arm
    double trunk_gives = 0.0;                ///< of an arm: share of what it lacks by which the trunk leans
    /// Of leg and paw: where the hips give way its free tip stays where it was asked to be; an arm goes with
    /// the body.
    bool is_standing = false;
    bool is_still = false;  ///< for comparison: it does not reach
};

/// A limb's end of the target that can be held.
struct EndOp {
    int limb = -1;           ///< index of its limb in `Program::limbs`; -1: it cannot be held
    int base = -1;           ///< the first joint toward it that keeps its turn when the hips are turned
    double hips_give = 1.0;  ///< share of what is missing that the hips give
    Sole sole;               ///< of the target
    Sole S_sole;             ///< of the source
};

/// Limbs that both bodies have whole; their ends that both have in the same kind. After `compile_angles`.
void compile_limbs(const PairedBodies& bodies, Program& program);
void compile_ends(const PairedBodies& bodies, Program& program);

/// Where a limb's tip is asked to be in the world, before the hips give way.
Vec3 reach_goal(const Program& program, const LimbOp& op, std::span<const Vec3> source_p,
                const Vec3& target_start);
/// Distance from start to tip of the source's limb by the length of its two bones as they are; 0 when it has
/// none.
double source_stretch(const LimbOp& op, std::span<const Vec3> source_p);

/// The axis the limb bends about, as the source's body carries it; world, unit.
Vec3 hinge_of(const Program& program, const LimbOp& op, const SourceFrame& source);

/// Bones of the limb alone; what hangs on it follows afterwards (`follow_anew`).
void reach_limb(const Program& program, const LimbOp& op, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection::Limb* held);

/// Moves the tip by `by` (world, m) as far as the limb reaches; hand and foot keep their turn. Bones of the limb alone,
/// as `reach_limb`.
void move_tip(const Program& program, const LimbOp& op, const Vec3& by, const SourceFrame& source,
              TargetFrame& target);

}  // namespace nb
