// A loop carried as what it is, the span again and again: what stands at its end still stands at its beginning, so that
// the last frame is the first, one travel further, after all passes.
//
// The span is laid before and behind itself, each time moved by its own travel, for `beside_s` or longer than that;
// this is carried like any motion, and the one in the middle is the loop.
#pragma once
#include "core/solve/motion.hpp"
#include "core/touchup/apply.hpp"

namespace nb {

/// Carries the cycle anew and puts it into `solved`, which is of the whole `motion`: frames `first` to `last` of target
/// and corrections, contacts inside them. Nothing when the motion does not close there: by 0.1 degrees, 1 mm.
void solve_cycle(const MotionSolve& how, const WorldMotion& motion, const Contacts& contacts,
                 const LoopFrames& cycle, SolvedMotion& solved);

}  // namespace nb
