#include "core/solve/motion.hpp"

#include <atomic>
#include <stdexcept>
#include <utility>

#include "core/base/parallel.hpp"
#include "core/solve/passes.hpp"
#include "core/solve/time/passes.hpp"

namespace nb {

SolvedMotion solve_motion(const MotionSolve& how, const WorldMotion& motion, const Contacts& contacts,
                          int first_frame) {
    const Program& program = how.program;
    SolvedMotion solved;
    solved.target.resize(motion.frames, int(program.body.parents.size()));
    solved.target.start_s = motion.start_s;
    solved.target.frame_time_s = motion.frame_time_s;
    std::atomic<int> done{0};
    std::atomic<bool> is_cancelled{false};
    const bool has_contacts = program.passes.contacts && program.passes.reach;
    // Shares of the whole: a first round of angles and root, what runs along time, the frames.
    const double first_share = has_contacts ? 0.2 : 0.0;
    const double held_share = has_contacts ? 0.4 : 0.0;
    const auto tell = [&](double share) {
        if (how.tell && !how.tell(share)) is_cancelled = true;
        return !is_cancelled;
    };
    if (has_contacts) {
        for_each_frame(motion.frames, how.threads, [&](int first, int last) {
            // What contacts are held against: the hips' place and the feet's turn, which reach leaves alone.
            for (int f = first; f < last && !is_cancelled; ++f) {
                const SourceFrame S = frame_of(motion, f);
                TargetFrame T = frame_of(solved.target, f);
                pass_angles(program, S, T);
                if (!program.touch.is_empty()) touch_turns(program, S, T);
                pass_root(program, S, T);
            }
            tell(first_share * (done += last - first) / motion.frames);
        });
        if (is_cancelled) throw std::runtime_error("cancelled");
        solved.contacts = contacts.is_by_hand
                              ? contacts
                              : find_contacts(how.source, motion, motion.frame_time_s, first_frame);
        solved.corrections =
            hold_contacts(program, solved.contacts, motion, solved.target, motion.frame_time_s, first_frame,
                          Watch([&](double share) { return tell(first_share + held_share * share); }));
        done = 0;
    }
    const bool is_held = !solved.corrections.is_empty();
    for_each_frame(motion.frames, how.threads, [&](int first, int last) {
        for (int f = first; f < last && !is_cancelled; ++f) {
            const FrameCorrection held = solved.corrections.at(f);
            TargetFrame T = frame_of(solved.target, f);
            run_passes(program, frame_of(motion, f), T, is_held ? &held : nullptr);
        }
        tell(first_share + held_share +
             (1.0 - first_share - held_share) * (done += last - first) / motion.frames);
    });
    if (is_cancelled) throw std::runtime_error("cancelled");
    return solved;
}

}  // namespace nb
