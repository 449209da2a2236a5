// The compiled plan of a transfer: what each pass does to which bone, by index, and what it reports of it; made
// once for two characters.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/contact/sole.hpp"
#include "core/math/rotation.hpp"
#include "core/motion/heading.hpp"
#include "core/rest/character.hpp"
#include "core/solve/settings.hpp"

namespace nb {

/// How one target joint gets its world rotation. S is the source, T the target, 0 the aligned rest.
struct AngleOp {
    enum class Kind {
        direct,  ///< R_WT = R_WS[a] * C,  C = R_WS0[a]^T * R_WT0
        blend,   ///< R_WT = interpolate(Q[a], Q[b], u) * C,  Q[x] = R_WS[x] * R_WS0[x]^T,  C = R_WT0
        follow,  ///< R_WT = R_WT[parent] * C,  C = the aligned (above the hips: stored) rest, R_PJ
        twist,   ///< as follow, then turned by the pass twist
    };
    Kind kind = Kind::follow;
    int a = -1;
    int b = -1;
    double u = 0.0;
    Quat C = Quat::Identity();
    Quat A0_inverse = Quat::Identity();  ///< blend: R_WS0[a]^T
    Quat B0_inverse = Quat::Identity();  ///< blend: R_WS0[b]^T
    /// direct: the last twist bone of the source that lies in the limb before the next role. Its rotation has
    /// the roll that the limb's bone left to it.
    int gathered = -1;
    Quat gathered_C = Quat::Identity();
};

/// A limb whose tip can be carried, held, or whose middle joint is turned aside. Two bones; of a dog's leg
/// the third one (hind foot, fore hand) stays to the second as angles have it, so that the hock keeps the
/// source's angle.
struct ReachOp {
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
    int T_clavicle = -1;                     ///< of an arm that hangs on one
    double clavicle_gives = 0.0;             ///< share of what is missing by which it brings the shoulder on
    double shoulder_share = 0.0;             ///< of the arm's elevation above 30 degrees
    int T_chest = -1;                        ///< the elevation is counted against it
    Quat T_chest0_inverse;                   ///< R_WJ_T0^T of the chest
    double side_sign = 1.0;                  ///< +1 left, -1 right
};

/// A run of any number of bones (tail, finger, spine, a user's own) that is carried by its tip.
struct RunReachOp {
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

/// Lengths that follow the source's: offsets of target joints are scaled by 1 + share (now / at rest - 1).
struct LengthOp {
    std::vector<int> S_joints;  ///< from one to the next
    double S_rest_m = 0.0;
    double share = 0.0;
};

/// A limb's end of the target that can be held.
struct EndOp {
    int reach = -1;          ///< index of its limb in `reaches`; -1: it cannot be held
    int base = -1;           ///< the first joint toward it that keeps its turn when the hips are turned
    double hips_give = 1.0;  ///< share of what is missing that the hips give
    Sole sole;               ///< of the target
    Sole S_sole;             ///< of the source
};

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

/// A role that only one of the two bodies has, or the fingers of a hand together.
struct MissingPartner {
    std::string who;   ///< the body that lacks it
    std::string role;  ///< "toe.left", "index.right"
    std::string means;
};

/// One line for all that a body lacks to the same end.
std::vector<std::string> partner_lines(const std::vector<MissingPartner>& partners);

struct Plan {
    double k = 1.0;  ///< place map: M(p) = k p about the world's origin
    Passes passes;
    std::vector<AngleOp> angles;  ///< one a target joint
    std::vector<ReachOp> reaches;
    std::vector<RunReachOp> run_reaches;
    std::vector<LengthOp> lengths;
    std::vector<int> length_of;  ///< a target joint: index in `lengths`, -1 for none; empty when none follows
    std::vector<TwistOp> twists;
    std::array<EndOp, limb_count> ends;  ///< by `limb_names`
    double S_stature_m = 1.75, T_stature_m = 1.75;
    int S_thigh_left, S_thigh_right;
    int T_thigh_left, T_thigh_right, T_hips;
    int T_top = -1;                 ///< moves the whole body; the hips in most rigs (core/body/carried.hpp)
    std::vector<int> T_body;        ///< all below the top; empty when it is the hips
    std::vector<int> T_own_places;  ///< whose places are keys: the top, and what is carried by no parent
    int T_root = -1;                ///< the root bone that carries the travel; -1: none does
    BodyLines T_lines;              ///< by which its heading is told
    double S_ankle_m = 0.0;         ///< ankle height of the flat foot
    double T_ankle_m = 0.0;
    Vec3 T_hip_centre = Vec3::Zero();       ///< from the hips joint, seen from it, m
    Vec3 T_rest_hip_centre = Vec3::Zero();  ///< in the world, when the root pass is left out
    std::vector<int> T_parents;
    std::vector<Vec3> T_offsets;       ///< p_PJ, m
    std::vector<Quat> T_aligned_rest;  ///< R_WJ0: where the body stands when the angles pass is left out
    ChainTable chains;                 ///< settings in force, of all levels
    std::vector<MissingPartner> partners;
    std::vector<std::string> notes;  ///< the same, a sentence each
};

/// `take_key`: of the take whose own settings speak (`Take::key`). Throws FileError when one of the
/// characters lacks hips or legs.
Plan compile_plan(const Character& source, const Character& target, const PairingSettings& settings,
                  const std::string& take_key = {});

}  // namespace nb
