// The passes of the solve, one frame each. In: the source's world pose. Out: the target's world pose.
//
// gather  Where the source's limb has twist bones before the next role, the roll they carry belongs to
//         the limb: its role turns as the last of them does. Directions are as before.
// root    Hip centre (midpoint of the thigh joints): horizontally by the place map, p_T = k p_S; height
//         a_T + k (h_S - a_S), a = ankle height of the flat foot. A foot that stands in the source then
//         stands in the target, and a crouch stays a crouch.
// angles  Q_r = R_WJ_S * R_WJ_S0^T, the world rotation since the aligned rest; R_WJ_T = Q_r * R_WJ_T0.
//         Joints without a partner keep their aligned rest relative to their parent.
// reach   The tip of a limb goes to start_T + scale * (tip - start)_S, or to its place k p_S in the
//         world (legs: at the height of the flat foot, as the hips). Two bones, closed form: the knee bends
//         about the hinge n = Q * n0 until the distance is right, then the limb is turned rigidly so that
//         start->tip points where it should, with n as second axis. n is carried by the body and never
//         degenerates, so a straight limb does not flip. Feet and hands keep their world rotation. A dog's
//         limb has its hock between: hind foot and shin are one bone for the reach, as angles have them to
//         each other. The pole turns n about start->tip. What is missing in length the clavicle gives by its
//         share: the shoulder moves on by share * missing along start->tip, as far as its own bone lets it.
//         Shoulder share: the clavicle rises by share * (elevation - 30 degrees), about the chest's forward
//         axis, elevation = angle of the upper arm from hanging (scapula to arm about 1 to 2: Inman, Saunders
//         and Abbott 1944, from memory); the hand stays where it was.
//         Longer runs: damped least squares from what angles give, the turns of all bones as small as can be
//         (Wampler 1986, from memory).
// give    Lengths: a target bone is 1 + share * (length now / length at rest - 1) times as long, lengths of
//         the source's bone that drives it; of chains of unlike counts the whole chains' lengths.
// twist   Roll is spread along a limb by its twist bones. With Q of the limb's bone b, the role above a and
//         the role below c:  psi = roll of Q_a^T Q_b,  phi = roll of Q_b^T Q_c,  both about the bone's own axis
//         (swing and twist). A twist bone at the share s of the length turns beyond its limb's bone by
//         tau = -(1 - s) psi + s phi,  phi only on forearm and shin (a hinge carries no roll):
//         R_WT = Q_b Rot(axis, tau) R_WT0. So skin does not roll at the shoulder, and rolls with the hand at
//         the wrist. Shares of one half, of one and two thirds for one and two bones are common practice.
//         Rolls beyond 150 degrees are led back to none at 180, so that nothing jumps where the sign of a
//         half turn does. Bones of the roles keep their world rotation.
//
// Invariants: lengths of the target never change (give 0); with source = target every pass is the identity.
// When a tip is out of reach: `soften_stretch`.
#pragma once
#include <array>
#include <span>

#include "core/motion/kinematics.hpp"
#include "core/solve/plan.hpp"

namespace nb {

/// World pose of one frame of the source: one entry a joint, m.
struct SourceFrame {
    std::span<const Quat> R;
    std::span<const Vec3> p;
};
struct TargetFrame {
    std::span<Quat> R;
    std::span<Vec3> p;
};

inline SourceFrame frame_of(const WorldMotion& motion, int frame) {
    return {{&motion.R[motion.at(frame, 0)], size_t(motion.joints)},
            {&motion.p[motion.at(frame, 0)], size_t(motion.joints)}};
}
inline TargetFrame frame_of(WorldMotion& motion, int frame) {
    return {{&motion.R[motion.at(frame, 0)], size_t(motion.joints)},
            {&motion.p[motion.at(frame, 0)], size_t(motion.joints)}};
}

/// What contacts add to one frame (core/solve/locks.hpp).
struct FrameCorrection {
    struct Limb {
        Vec3 ankle_m = Vec3::Zero();
        Vec3 start_m = Vec3::Zero();  ///< by which the hips move its start
        Quat foot = Quat::Identity();
        Quat toe = Quat::Identity();
        double hold = 0.0;
    };
    Vec3 hips_m = Vec3::Zero();          ///< of the hip centre
    Quat hips_turn = Quat::Identity();   ///< about the hip centre
    std::array<Limb, limb_count> limbs;  ///< by `limb_names`
};

/// The point u of the way from turn a to turn b. Up to 100 degrees apart on the shortest geodesic; beyond,
/// where no joint bends, the way is led back to a at 180 degrees, so that nothing jumps where the shorter way
/// round changes sides.
Quat blend_turns(const Quat& a, const Quat& b, double u);

void pass_angles(const Plan& plan, const SourceFrame& source, TargetFrame& target);
/// Sets positions from rotations, the hip centre placed as the root pass says (or at rest when it is off).
void pass_root(const Plan& plan, const SourceFrame& source, TargetFrame& target,
               const FrameCorrection* held = nullptr);
void pass_reach(const Plan& plan, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held = nullptr);
/// Where a limb's tip is asked to be in the world, before the hips give way.
Vec3 reach_goal(const Plan& plan, const ReachOp& op, std::span<const Vec3> source_p,
                const Vec3& target_start);
/// Distance from start to tip of the source's limb by the length of its two bones as they are; 0 when it has
/// none.
double source_stretch(const ReachOp& op, std::span<const Vec3> source_p);
void pass_twist(const Plan& plan, const SourceFrame& source, TargetFrame& target);

/// How far above 30 degrees an arm is raised, rad: eased over the first 10 degrees and the last 30 before
/// straight up, so that the clavicle starts and ends softly. `elevation_rad` from hanging, 0..pi.
double raised(double elevation_rad);

/// A roll in -pi..pi made continuous over the half turn: itself up to 150 degrees, then down to 0 at 180.
double fold_roll(double roll_rad);

/// Stretch (distance start to tip by limb length) that the target takes when `wanted` is asked for. The
/// target may always stretch as far as the source does; beyond max(source, from) the rest of the way to 1 is
/// eased, continuous in value and slope, and never passes 1.
double soften_stretch(double wanted, double source, double from = usual_soften_from);
/// The same beyond a stretch of one's own.
double soften_beyond(double wanted, double free);
/// How far a held limb may stretch before the hips give way: as the source's, within 0.98 and 0.995. Just
/// short of straight it still bends one way, and a tremble of the hips does not turn the knee much. With a
/// hock between, knee and elbow are bent anyway, and it may go to 0.9999.
double held_stretch(double source, bool has_hock);

/// Turn about unit axis n of the lower bone (vector from mid to tip) that makes |upper + lower| = distance.
/// Near the straight limb the side on which the limb is bent is kept; a limb bent the wrong way by h goes
/// over to the right side between bends of h and 3 h. Unreachable distances give the nearest.
double bend_for_distance(const Vec3& upper, const Vec3& lower, const Vec3& n, double distance);

}  // namespace nb
