// A source's motion carried whole: a first round of angles and root, what holds along time, the frames.
#pragma once
#include <functional>

#include "core/contact/contacts.hpp"
#include "core/solve/program.hpp"
#include "core/solve/time/corrections.hpp"

namespace nb {

/// How a motion is carried; `tell` is told shares 0..1 of it from worker threads and says false to cancel.
struct MotionSolve {
    const Character& source;
    const Program& program;
    int threads = 0;
    std::function<bool(double)> tell;
};

struct SolvedMotion {
    WorldMotion target;
    Contacts contacts;
    Corrections corrections;
};

/// `contacts`: kept when they are by hand, else found. Frames before `first_frame` are no motion. Throws
/// std::runtime_error("cancelled").
SolvedMotion solve_motion(const MotionSolve& how, const WorldMotion& motion, const Contacts& contacts,
                          int first_frame);

}  // namespace nb
