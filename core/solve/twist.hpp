// Pass twist: roll is spread along a limb by its twist bones. With Q of the limb's bone b, the role above a
// and the role below c:  psi = roll of Q_a^T Q_b,  phi = roll of Q_b^T Q_c,  both about the bone's own axis
// (swing and twist). A twist bone at the share s of the length turns beyond its limb's bone by
//   tau = -(1 - s) psi + s phi,  phi only on forearm and shin (a hinge carries no roll):
//   R_WT = Q_b Rot(axis, tau) R_WT0.
// So skin does not roll at the shoulder, and rolls with the hand at the wrist. Shares of one half, of one and
// two thirds for one and two bones are common practice. Rolls beyond 150 degrees are led back to none at 180,
// so that nothing jumps where the sign of a half turn does. Bones of the roles keep their world rotation.
#pragma once
#include <string>

#include "core/math/rotation.hpp"
#include "core/solve/frames.hpp"

namespace nb {

struct PairedBodies;
struct Program;

/// A twist bone of the target with the limb's bone it lies along.
struct TwistOp {
    std::string role;        ///< of the limb's bone
    int joint;               ///< the twist bone
    int above, bone, below;  ///< joints of the role before, the limb's bone, the role after (-1: none)
    double share;            ///< its place along the limb's bone, 0 at the start, 1 at the end
    Vec3 axis0;              ///< along the limb's bone, unit, world axes at the aligned rest
    Quat above0_inverse, bone0_inverse, below0_inverse;  ///< R_WJ0^T of those joints
    Quat joint0;                                         ///< R_WJ0 of the twist bone
};

/// After `compile_angles`: upper arm and thigh let go of their roll toward the body; forearm and shin take on
/// that of hand and foot.
void compile_twists(const PairedBodies& bodies, Program& program);
void pass_twist(const Program& program, const SourceFrame& source, TargetFrame& target);
/// The same of what lies along bones at or under a joint, where all else is twisted already.
void pass_twist_below(const Program& program, const SourceFrame& source, TargetFrame& target, int joint);

/// A roll in -pi..pi made continuous over the half turn: itself up to 150 degrees, then down to 0 at 180.
double fold_roll(double roll_rad);

}  // namespace nb
