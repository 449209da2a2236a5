// Things that hands hold in a take, found in the source alone.
//
// A thing is a root of the take beside the body (a crate, a lantern). A hand may hold it while the thing moves and the
// palm goes along: slower than 50 cm/s in the thing's frame, nearer than 60 cm, at 175 cm. Held it is at the point
// that stands still in both frames, a in the hand's and b in the thing's:
//
//   least over a, b of  sum |R_H a + p_H - R_P b - p_P|^2 + N lambda |a - palm|^2,   lambda = 0.01
//
// so that what swings has its pivot and what is held fast the palm; frames at the ends that are more than 1.5 cm off
// are left out, and what is shorter than 0.3 s: a hand that brushes a thing. Thresholds are this program's own.
#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/surface/surface.hpp"

namespace nb {

struct Grip {
    size_t limb = 2;                                           ///< of `limb_names`: an arm
    int thing = -1;                                            ///< joint of the source's skeleton
    Vec3 on_hand_J = Vec3::Zero(), on_thing_J = Vec3::Zero();  ///< in the frames of both, m
    int first = 0, last = 0;                                   ///< last: not included
    double off_m = 0.0;                                        ///< root mean square of what is left
};

/// The roots of a take that are no part of the body and go through it; other bodies in the same file are none.
std::vector<int> things_of(const Character& source, const Take& take);

/// A hand on a thing over [first, last), as it is: empty for a span without frames.
std::optional<Grip> grip_over(const Character& source, const WorldMotion& motion, size_t limb, int thing,
                              const Vec3& palm_J, int first, int last);

/// Whether a thing moves at all in [first, last): slower than 2 cm/s at 175 cm all along it lies.
bool moves_over(const WorldMotion& motion, int thing, int first, int last, double to_reference);

/// Whether the hand goes along with the thing as one that holds it does.
bool goes_along(const Grip& grip, double to_reference);

/// Sorted by thing, then hand, then frame. `palms`: of the left and the right hand, in the hands' frames, m.
std::vector<Grip> find_grips(const Character& source, const WorldMotion& motion,
                             const std::vector<int>& things, const std::array<Vec3, 2>& palms_J,
                             int first_frame);

}  // namespace nb
