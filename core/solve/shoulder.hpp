// What an arm's clavicle does for it, within the pass reach.
//
// Shoulder share: the clavicle rises by share * (elevation - 30 degrees), about the chest's forward axis,
// elevation = angle of the upper arm from hanging (scapula to arm about 1 to 2: Inman, Saunders and Abbott
// 1944, from memory); the hand stays where it was.
// Give: what is missing in length the clavicle gives by its share: the shoulder moves on by share * missing
// along start->tip, as far as its own bone lets it.
#pragma once
#include "core/body/plan.hpp"
#include "core/math/rotation.hpp"
#include "core/solve/frames.hpp"

namespace nb {

struct ChainSettings;
struct LimbOp;
struct PairedBodies;

struct ShoulderOp {
    int T_clavicle = -1;     ///< of an arm that hangs on one
    double gives = 0.0;      ///< share of what is missing by which it brings the shoulder on
    double share = 0.0;      ///< of the arm's elevation above 30 degrees
    int T_chest = -1;        ///< the elevation is counted against it
    Quat T_chest0_inverse;   ///< R_WJ_T0^T of the chest
    double side_sign = 1.0;  ///< +1 left, -1 right
    bool has_share() const { return share > 0.0 && T_clavicle >= 0 && T_chest >= 0; }
};

ShoulderOp compile_shoulder(const PairedBodies& bodies, Side side, const ChainSettings& own);

/// The clavicle rises with the upper arm (vector `upper`, world).
void raise_shoulder(const ShoulderOp& op, int T_start, const Vec3& upper, TargetFrame& target);
/// The clavicle brings the shoulder on along `toward` (world, m).
void bring_shoulder(const ShoulderOp& op, int T_start, const Vec3& toward, TargetFrame& target);

/// How far above 30 degrees an arm is raised, rad: eased over the first 10 degrees and the last 30 before
/// straight up, so that the clavicle starts and ends softly. `elevation_rad` from hanging, 0..pi.
double raised(double elevation_rad);

}  // namespace nb
