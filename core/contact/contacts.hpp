// Finds the contacts of a take (core/motion/marks.hpp) in the source alone.
#pragma once
#include "core/contact/floor.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

/// How contacts are found. Speeds and heights for a stature of 175 cm (starting values of common practice:
/// 10 to 20 cm/s, 3 to 5 cm; no published source).
struct ContactRules {
    double enter_m_s = 0.22, leave_m_s = 0.23;            ///< speed over +-25 ms, with hysteresis
    double enter_height_m = 0.05, leave_height_m = 0.06;  ///< over the level, with hysteresis
    double least_s = 0.08;                                ///< shorter ones are left out
    double beyond_s = 0.01;                               ///< by which what was found is held on
    double gap_s = 0.04;         ///< shorter gaps are closed when the place is the same,
    double same_place_m = 0.02;  ///< so far beside it and by as much as it may creep meanwhile
};

/// Heel and ball of both feet, by speed and by height over the floor's level nearest to where the point is
/// lowest; on a floor that runs, by speed beside it. Thresholds of speed and shortest time go with the speed of
/// the body (`BodyTracks::grown`). In a body that runs a point that turns from falling to rising near its
/// lowest place, slower than half the body, has touched, too. Between two levels a point that is nearer to
/// neither than 0.3 of their distance rests on nothing. The take's frames before `first_frame` are left out.
Contacts find_contacts(const Character& source, const WorldMotion& motion, double frame_time_s,
                       int first_frame, const ContactRules& rules = {});

}  // namespace nb
