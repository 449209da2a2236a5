// What hands do on things they hold and on what stands beside the body, in a motion: nothing of what the solve goes by.
//
// Slide: over a hold the point a of the hand and b of the thing that stay together best,
//   least over a, b of  sum |R_PH a + t_PH - b|^2 + N lambda |a|^2,   lambda = 1e-4,   (R, t)_PH of the hand in the thing's frame
// and per frame the distance that is left; the core of the hold, 50 ms from its ends.
// Off: the least distance of the vertices of the hand from the mesh of what it lies on, 5 looks a second.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/motion/set_piece.hpp"
#include "core/rest/character.hpp"
#include "core/review/statistics.hpp"

namespace nb {

/// A hand on a thing over frames [first, last).
struct ToldHold {
    Side side = Side::none;
    int first = 0, last = 0;
    std::string on;
    std::vector<Rigid> X_source, X_target;  ///< of the thing beside each body, a frame of the span, world
    double scale = 1.0;                     ///< of what stands beside the target
    const SetPiece* piece = nullptr;        ///< its mesh, where it has one; outlives the review
    bool slides = false;                    ///< it goes along the thing in the take: slide says nothing
};

struct HoldReview {
    Stat slide_mm, source_slide_mm;
    Stat off_mm;  ///< of the target's hands from what they lie on or hold
    int holds = 0;
    /// By frame, left and right, cm; 0 outside of holds. Empty without any.
    std::array<std::vector<float>, 2> slide_cm;
};

HoldReview review_holds(const Character& source, const WorldMotion& source_motion, const Character& target,
                        const WorldMotion& target_motion, const std::vector<ToldHold>& holds);

}  // namespace nb
