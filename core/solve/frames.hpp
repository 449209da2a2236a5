// One frame of the solve: the source's world pose in, the target's out, and what contacts add to it.
#pragma once
#include <array>
#include <span>

#include "core/contact/sole.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

/// World pose of one frame of the source: one entry a joint, m.
struct SourceFrame {
    std::span<const Quat> R;
    std::span<const Vec3> p;
    double t_s = 0.0;  ///< on the clock of the take's file
};
struct TargetFrame {
    std::span<Quat> R;
    std::span<Vec3> p;
    /// Turns on the bone above of bones that follow it and that touch-ups turn (`TouchProgram::followers`); empty where
    /// nothing follows any more.
    std::span<Quat> touched_R_PJ = {};
};

inline SourceFrame frame_of(const WorldMotion& motion, int frame) {
    return {{&motion.R[motion.at(frame, 0)], size_t(motion.joints)},
            {&motion.p[motion.at(frame, 0)], size_t(motion.joints)},
            motion.time_s(frame)};
}
inline TargetFrame frame_of(WorldMotion& motion, int frame) {
    return {{&motion.R[motion.at(frame, 0)], size_t(motion.joints)},
            {&motion.p[motion.at(frame, 0)], size_t(motion.joints)}};
}

/// R_WJ := by R_WJ, kept a unit quaternion.
inline void turn_joint(TargetFrame& target, int joint, const Quat& by) {
    target.R[size_t(joint)] = (by * target.R[size_t(joint)]).normalized();
}

/// How often a second hands that touch, and limbs that may run into the body, are looked at; between looks what is found goes smoothly.
inline constexpr double solve_looks_a_second = 40.0;

/// What the pass touch adds to a hand in one frame (core/solve/hand_shifts.hpp): of the wrist and of the hand's turn, in
/// the frame of the hips.
struct HandShift {
    Vec3 by_m = Vec3::Zero();
    Vec3 turn = Vec3::Zero();  ///< rotation vector, rad
    bool is_none() const { return by_m == Vec3::Zero() && turn == Vec3::Zero(); }
};

/// What the pass clear adds to a limb in one frame (core/solve/clear.hpp).
struct LimbClear {
    double aside_m = 0.0;      ///< q: the middle joint about start -> tip (`clear_turn_rad`)
    Vec3 by_m = Vec3::Zero();  ///< d: of the tip, world
    bool is_none() const { return aside_m == 0.0 && by_m == Vec3::Zero(); }
};

/// What contacts and touches add to one frame (core/solve/time/corrections.hpp).
struct FrameCorrection {
    struct Limb {
        Vec3 ankle_m = Vec3::Zero();
        Vec3 start_m = Vec3::Zero();  ///< by which the hips move its start
        Quat foot = Quat::Identity();
        Quat toe = Quat::Identity();
        double hold = 0.0;
    };
    Vec3 hips_m = Vec3::Zero();          ///< of the hip centre
    Vec3 touched_m = Vec3::Zero();       ///< what touch-ups that place the hips have of it
    Quat hips_turn = Quat::Identity();   ///< about the hip centre
    std::array<Limb, limb_count> limbs;  ///< by `limb_names`
    bool is_held = true;                 ///< false: contacts add nothing
    std::array<HandShift, limb_count> hands;
    bool has_hands = false;  ///< else the pass touch goes by the frame alone
    std::array<LimbClear, limb_count> clear;
    bool has_clear = false;
};

}  // namespace nb
