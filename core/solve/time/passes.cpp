#include "core/solve/time/passes.hpp"

namespace nb {

Corrections hold_contacts(const Program& program, const Contacts& contacts, const WorldMotion& source,
                          const WorldMotion& target, double frame_time_s, int first_frame,
                          const Watch& watch) {
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
    double all = 0.0;
    for (const TimePass& pass : time_passes) all += pass.cost;
    double done = 0.0;
    for (const TimePass& pass : time_passes) {
        watch.look(done / all);
        pass.run(problem, goals, watch.part(done / all, pass.cost / all));
        done += pass.cost;
    }
    return corrections_of(problem, std::move(goals));
}

}  // namespace nb
