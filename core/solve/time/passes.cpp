#include "core/solve/time/passes.hpp"

#include <string_view>
#include <utility>

#include "core/solve/within.hpp"

namespace nb {

namespace {

/// After it limbs are held and led.
constexpr std::string_view last_of_limbs = "body";

std::array<AskedLimb, limb_count> asked_of(const Problem& problem) {
    std::array<AskedLimb, limb_count> asked;
    for (const Effector& e : problem.effectors) {
        AskedLimb& limb = asked[e.limb()];
        limb.ankle_m = e.asked_m;
        for (int f = 0; f < problem.frames; ++f) {
            limb.foot.push_back(problem.foot(e, f));
            limb.toe.push_back(problem.toe(e, f));
            limb.is_held.push_back(e.has_hold(f) ? 1 : 0);
        }
    }
    return asked;
}

/// `keep`: may be null.
Corrections run_all(const Program& program, const Contacts& contacts, const WorldMotion& source,
                    const WorldMotion& target, double frame_time_s, int first_frame, const Watch& watch,
                    HeldRun* keep, const KeptTo* kept) {
    if (!program.passes.contacts || !program.passes.reach ||
        (contacts.list.empty() && !program.touch.has_hips()))
        return {};
    const Problem problem = make_problem(program, contacts, source, target, frame_time_s, first_frame);
    if (problem.is_empty()) {
        Corrections none;
        none.ignored = problem.ignored;
        return none;
    }
    Goals goals = make_goals(problem);
    if (keep) keep->asked = asked_of(problem);
    double all = 0.0;
    for (const TimePass& pass : time_passes) all += pass.cost;
    double done = 0.0;
    for (const TimePass& pass : time_passes) {
        watch.look(done / all);
        pass.run(problem, goals, watch.part(done / all, pass.cost / all));
        done += pass.cost;
        if (pass.name != last_of_limbs) continue;
        if (kept) keep_led(problem, *kept, keep->asked, goals);
        if (keep) keep->led = goals;
    }
    return corrections_of(problem, std::move(goals));
}

}  // namespace

Corrections hold_contacts(const Program& program, const Contacts& contacts, const WorldMotion& source,
                          const WorldMotion& target, double frame_time_s, int first_frame,
                          const Watch& watch) {
    return run_all(program, contacts, source, target, frame_time_s, first_frame, watch, nullptr, nullptr);
}

HeldRun run_held(const Program& program, const Contacts& contacts, const WorldMotion& source,
                 const WorldMotion& target, double frame_time_s, int first_frame, const Watch& watch,
                 const KeptTo* kept) {
    HeldRun run;
    run.corrections =
        run_all(program, contacts, source, target, frame_time_s, first_frame, watch, &run, kept);
    if (kept) keep_all(program, *kept, run);
    return run;
}

}  // namespace nb
