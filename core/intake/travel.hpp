// Repairs of where a whole take stands: onto the floor, and its travel given back to a cycle that treads on the
// spot.
#pragma once
#include "core/motion/marks.hpp"
#include "core/motion/take.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// Where a take stands, as its feet say.
struct Standing {
    double height_m = 0.0;          ///< of its lowest level over y = 0
    double rests_share = 0.0;       ///< of the frames in which a foot rests on any level
    Vec3 floor_m_s = Vec3::Zero();  ///< of the floor that runs under a treading cycle
};
/// Needs hips, legs and an aligned rest; nothing else is looked at.
Standing standing_of(const Character& source, const Take& take);

/// The whole take goes down by the height of its lowest level, so that its feet rest on y = 0.
void set_down(const Character& source, Take& take);

/// The take is carried on over the floor, a frame as far as the feet in stance go back in it (their mean; in the
/// air, the floor's speed): stance feet then stand exactly. Poses stay, so a loop stays a loop. Nothing happens
/// where no floor runs.
void give_travel(const Character& source, Take& take);

}  // namespace nb
