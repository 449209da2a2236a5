// A loop carried as what it is, the span again and again: what stands at its end still stands at its beginning, so that
// the last frame is the first, one travel further, after all passes.
//
// The span is laid before and behind itself, each time moved by its own travel, for `beside_s` or longer than that;
// this is carried like any motion, and the one in the middle is the loop.
#pragma once
#include "core/solve/motion.hpp"

namespace nb {

/// The body's pose at `last` is that at `first`, one travel further over the floor.
struct Cycle {
    int first = 0, last = 0;
};

/// Carries the cycle anew and puts it into `solved`, which is of the whole `motion`: frames `first` to `last` of target
/// and corrections, contacts inside them. Nothing when the motion does not close there: by 0.1 degrees, 1 mm.
void solve_cycle(const MotionSolve& how, const WorldMotion& motion, const Contacts& contacts,
                 const Cycle& cycle, SolvedMotion& solved);

}  // namespace nb
