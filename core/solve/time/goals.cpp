#include "core/solve/time/goals.hpp"

#include <algorithm>

namespace nb {

Goals make_goals(const Problem& problem) {
    const size_t frames = size_t(problem.frames);
    Goals goals;
    goals.hips_m.assign(frames, Vec3::Zero());
    goals.hips_turn.assign(frames, Vec3::Zero());
    for (const Effector& e : problem.effectors) {
        EffectorGoals g;
        g.turn.assign(frames, Vec3::Zero());
        g.shift.assign(frames, Vec3::Zero());
        g.is_held.assign(frames, 0);
        g.is_sole.assign(frames, 0);
        g.place_S.assign(e.holds.size(), Vec3::Zero());
        g.is_placed.assign(e.holds.size(), 0);
        g.start_m.assign(frames, Vec3::Zero());
        g.toe.assign(frames, Quat::Identity());
        goals.effectors.push_back(std::move(g));
    }
    return goals;
}

Corrections corrections_of(const Problem& problem, Goals&& goals) {
    Corrections result;
    result.hips_m = std::move(goals.hips_m);
    result.touched_m = problem.touched_hips_m;
    result.hips_turn = std::move(goals.hips_turn);
    result.deficits = std::move(goals.deficits);
    result.summaries = std::move(goals.summaries);
    result.ignored = problem.ignored;
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        EffectorGoals& g = goals.effectors[i];
        // A free arm goes with the body.
        for (size_t f = 0; !problem.effectors[i].op->is_standing && f < g.shift.size(); ++f)
            g.shift[f] += (1.0 - g.weight[f]) * g.start_m[f];
        LimbCorrections& limb = result.limbs[problem.effectors[i].limb()];
        limb.ankle_m = std::move(g.shift);
        limb.start_m = std::move(g.start_m);
        limb.foot.reserve(g.turn.size());
        for (const Vec3& turn : g.turn) limb.foot.push_back(exp_rotation(turn));
        limb.toe = std::move(g.toe);
        limb.hold = std::move(g.weight);
        result.held_frames +=
            int(std::count(g.is_held.begin() + std::min(problem.first, problem.frames), g.is_held.end(), 1));
    }
    return result;
}

FrameCorrection Corrections::at(int frame) const {
    FrameCorrection result;
    const size_t f = size_t(frame);
    result.is_held = !is_empty();
    result.has_hands = has_hands();
    result.has_clear = has_clear();
    for (size_t i = 0; i < limb_count; ++i) {
        if (!hands[i].empty()) result.hands[i] = hands[i][f];
        if (!clear[i].empty()) result.clear[i] = clear[i][f];
    }
    if (is_empty()) return result;
    result.hips_m = hips_m[f];
    if (!touched_m.empty()) result.touched_m = touched_m[f];
    result.hips_turn = exp_rotation(hips_turn[f]);
    for (size_t i = 0; i < limb_count; ++i)
        if (!limbs[i].ankle_m.empty())
            result.limbs[i] = {limbs[i].ankle_m[f], limbs[i].start_m[f], limbs[i].foot[f], limbs[i].toe[f],
                               limbs[i].hold[f]};
    return result;
}

}  // namespace nb
