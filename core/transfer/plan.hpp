// The compiled plan of a transfer: flat arrays of indices and constants, made once for two characters.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/chain/chain_settings.hpp"
#include "core/contact/sole.hpp"
#include "core/math/rotation.hpp"
#include "core/rest/character.hpp"
#include "core/transfer/settings.hpp"

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
};

/// A limb of two bones that is carried by its tip.
struct ReachOp {
    std::string limb;
    int S_start, S_mid, S_tip;  ///< source joints
    int T_start, T_mid, T_tip;  ///< target joints
    int S_hinge;                ///< source joint whose Q turns the hinge: shin for legs, upper arm for arms
    Quat S_hinge0_inverse;      ///< R_WJ_S0^T of that joint
    Vec3 n0;                    ///< hinge axis at the source's aligned rest, world axes
    double scale;               ///< length of the target's limb by the source's, mean of both sides
    double S_length_m, T_length_m;
    double share = 1.0;  ///< of the tip's place that crosses; the rest is as angles have it
    double soften_from = usual_soften_from;  ///< stretch beyond which the reach is eased
    int foot = -1;  ///< 0 left, 1 right: a leg whose foot can be held; -1: any other limb
};

/// A foot of the target that can be held.
struct FootOp {
    int reach = -1;  ///< index of its leg in `reaches`; -1: it cannot be held
    Sole sole;       ///< of the target
    Sole S_sole;     ///< of the source
};

/// A twist bone of the target with the limb's bone it lies along.
struct TwistOp {
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

struct Plan {
    double k = 1.0;  ///< place map: M(p) = k p about the world's origin
    Passes passes;
    std::vector<AngleOp> angles;  ///< one a target joint
    std::vector<ReachOp> reaches;
    std::vector<TwistOp> twists;
    std::array<FootOp, 2> feet;  ///< left, right
    double S_stature_m = 1.75, T_stature_m = 1.75;
    int S_thigh_left, S_thigh_right;
    int T_thigh_left, T_thigh_right, T_hips;
    double S_ankle_m = 0.0;  ///< ankle height of the flat foot
    double T_ankle_m = 0.0;
    Vec3 T_hip_centre = Vec3::Zero();       ///< from the hips joint, seen from it, m
    Vec3 T_rest_hip_centre = Vec3::Zero();  ///< in the world, when the root pass is left out
    std::vector<int> T_parents;
    std::vector<Vec3> T_offsets;       ///< p_PJ, m
    std::vector<Quat> T_aligned_rest;  ///< R_WJ0: where the body stands when the angles pass is left out
    std::vector<MissingPartner> partners;
    std::vector<std::string> notes;  ///< the same, a sentence each
};

/// Throws FileError when one of the characters lacks hips or legs.
Plan compile_plan(const Character& source, const Character& target, const PairingSettings& settings);

}  // namespace nb
