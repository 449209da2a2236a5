#include "core/solve/passes.hpp"

#include <algorithm>

#include "core/solve/clear.hpp"
#include "core/solve/keep_within.hpp"
#include "core/solve/near.hpp"

namespace nb {

bool is_gathered(const Program& program, int joint) {
    return program.angles[size_t(joint)].gathered >= 0;
}

bool is_twisted(const Program& program, int joint) {
    return std::any_of(program.twists.begin(), program.twists.end(),
                       [&](const TwistOp& op) { return op.joint == joint; });
}

bool has_touches(const Program& program) {
    return program.near != nullptr;
}

bool has_things(const Program& program) {
    return !program.things.empty() || !program.on_set.empty();
}

bool has_skins(const Program& program) {
    return program.clear != nullptr;
}

bool can_run(const PassRow& pass, const Program& program) {
    if (pass.needs && !(program.passes.*pass.needs)) return false;
    if (pass.acts && !pass.acts(program)) return false;
    if (!pass.turns) return true;
    for (int j = 0; j < int(program.angles.size()); ++j)
        if (pass.turns(program, j)) return true;
    return false;
}

void pass_reach(const Program& program, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held) {
    if (!program.passes.reach) return;
    for (const RunOp& op : program.runs) {
        reach_run(program, op, source, target);
        follow_anew(program, source, target, false);
    }
    if (program.limbs.empty()) return;
    for (const LimbOp& op : program.limbs)
        reach_limb(program, op, source, target,
                   held && program.ends[op.limb].limb >= 0 ? &held->limbs[op.limb] : nullptr);
    follow_anew(program, source, target, false);
}

void stand_passes(const Program& program, const SourceFrame& source, TargetFrame& target, HeldFrame& held) {
    const FrameCorrection*& by = held.by;
    if (by && (!program.passes.contacts || !by->is_held)) by = nullptr;
    pass_angles(program, source, target);
    if (!program.touch.is_empty()) {
        // One a thread, that grows once: nothing is allocated in a frame.
        thread_local std::vector<Quat> touched_R_PJ;
        touched_R_PJ.resize(program.touch.followers.size());
        target.touched_R_PJ = touched_R_PJ;
        touch_turns(program, source, target);
        // Hips that are asked elsewhere than what is held knows of yet: the shown frame, before the take is carried.
        if (by) held.moved = *by;
        const Vec3 more =
            touched_hips(program, source, target.R[size_t(program.body.hips)]) - held.moved.touched_m;
        if (more != Vec3::Zero()) {
            held.moved.hips_m += more;
            for (FrameCorrection::Limb& limb : held.moved.limbs) limb.start_m += more;
            by = &held.moved;
        }
    }
    pass_root(program, source, target, by);
    pass_reach(program, source, target, by);
    pass_elbows(program, source, target);
}

void run_passes(const Program& program, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held) {
    HeldFrame standing{held, {}};
    stand_passes(program, source, target, standing);
    pass_near(program, source, target, held);
    clear_holding(program, source, target, held);
    pass_hold(program, source, target);
    pass_clear(program, source, target, held);
    keep_within(program, source, target, standing.by);
    if (!program.touch.is_empty()) touch_places(program, source, target, standing.by);
    pass_twist(program, source, target);
}

}  // namespace nb
