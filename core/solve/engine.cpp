#include "core/solve/engine.hpp"

#include "core/base/parallel.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/baked.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <utility>

#include "core/solve/cycle.hpp"
#include "core/solve/passes.hpp"
#include "core/touchup/apply.hpp"

namespace nb {

void solve_frame(const Program& program, const WorldMotion& source, WorldMotion& target, int frame,
                 const FrameCorrection* held) {
    TargetFrame T = frame_of(target, frame);
    run_passes(program, frame_of(source, frame), T, held);
}

void solve_pose(const Program& program, const Pose& source, Pose& target, const FrameCorrection* held,
                double t_s) {
    TargetFrame T{target.R, target.p};
    run_passes(program, {source.R, source.p, t_s}, T, held);
}

std::vector<int> placed_joints(const Program& program) {
    std::vector<int> joints = program.body.own_places;
    for (size_t j = 0; j < program.length_of.size(); ++j)
        if (program.length_of[j] >= 0) joints.push_back(int(j));
    for (size_t j = 0; j < program.placed_of.size(); ++j)
        if (program.placed_of[j] >= 0) joints.push_back(int(j));
    std::sort(joints.begin(), joints.end());
    joints.erase(std::unique(joints.begin(), joints.end()), joints.end());
    return joints;
}

std::vector<std::string> notes_of(const TransferResult& result) {
    std::vector<std::string> notes = result.plan.report.notes;
    for (const std::string& point : result.corrections.ignored)
        notes.push_back(
            fmt::format("contacts of {} are not held: the target's limb is missing or left out", point));
    notes.insert(notes.end(), result.touch_notes.begin(), result.touch_notes.end());
    return notes;
}

std::vector<ReachEffect> reach_effects(const Program& program, const Pose& source,
                                       const FrameCorrection* held, double t_s) {
    constexpr double told_from_cm = 0.1;
    std::vector<ReachEffect> effects;
    const size_t joints = program.body.parents.size();
    Pose with{std::vector<Quat>(joints), std::vector<Vec3>(joints)};
    Pose without = with;
    solve_pose(program, source, with, held, t_s);
    Program changed = program;
    for (LimbOp& op : changed.limbs) {
        op.is_still = true;
        solve_pose(changed, source, without, held, t_s);
        op.is_still = false;
        const size_t first = effects.size();
        for (size_t j = 0; j < joints; ++j)
            if (const double cm = 100.0 * (with.p[j] - without.p[j]).norm(); cm > told_from_cm)
                effects.push_back({limb_names[op.limb], int(j), cm});
        std::stable_sort(effects.begin() + std::ptrdiff_t(first), effects.end(),
                         [](const auto& a, const auto& b) { return a.cm > b.cm; });
    }
    return effects;
}

PassEffects pass_effects(const Program& program, const Pose& source, const FrameCorrection* held,
                         double t_s) {
    PassEffects effects{};
    const size_t joints = program.body.parents.size();
    Pose with{std::vector<Quat>(joints), std::vector<Vec3>(joints)};
    Pose without = with;
    Program changed = program;
    for (size_t row = 0; row < pass_table.size(); ++row) {
        const PassRow& pass = pass_table[row];
        changed.passes = program.passes;
        changed.passes.*pass.is_on = true;
        solve_pose(changed, source, with, held, t_s);
        changed.passes.*pass.is_on = false;
        solve_pose(changed, source, without, held, t_s);
        for (size_t j = 0; j < joints; ++j)
            if (!pass.turns)
                effects[row] += 100.0 / double(joints) * (with.p[j] - without.p[j]).norm();
            else if (pass.turns(program, int(j)))
                effects[row] = std::max(effects[row], rad_to_deg(angle_between(with.R[j], without.R[j])));
    }
    return effects;
}

namespace {

/// `to_release`: the take, when its frames may go once its world motion is known; then nothing is baked.
TransferResult transfer_with(const Character& source, const Take& given, Take* to_release,
                             const Character& target, const PairingSettings& settings, int threads,
                             const Progress& progress, const Known& known = {},
                             std::shared_ptr<const Beside> beside = nullptr) {
    TransferResult result;
    result.plan = compile_plan(source, target, settings, &given, known, std::move(beside));
    const TouchLayers layers = touches_in_force(target, settings, given.key());
    const auto has_stage = [&](TouchStage stage) {
        return any_touch(layers, [stage](const TouchUp& touch) { return touch.stage == stage; });
    };
    std::optional<Take> touched;
    std::vector<LoopFrames> loops;
    if (has_stage(TouchStage::source))
        touched = touched_take(source, given, layers, given.start_s, result.touch_notes, &loops);
    const Take& take = touched ? *touched : given;
    result.source = forward_kinematics(source.rig.skeleton, take, threads);
    const auto release = [](Take& frames) {
        frames.R = {};
        frames.p = {};
    };
    if (to_release) release(*to_release);
    if (to_release && touched) release(*touched);
    const int joints = target.rig.skeleton.size();
    Take& baked = result.take;
    baked.name = take.name;
    baked.frame_time_text = take.frame_time_text;
    baked.frame_time_s = take.frame_time_s;
    baked.start_s = take.start_s;
    baked.frames = take.frames;
    baked.joints = joints;
    baked.first_motion_frame = take.first_motion_frame;
    baked.set = take.set;
    baked.translated = placed_joints(result.plan.program);
    // Each part takes a share of the whole by its frames.
    const double parts = 1.0 + 2.0 * double(loops.size());
    double before = 0.0;
    const MotionSolve how{source, result.plan.program, threads, [&](double share) {
                              return !progress ||
                                     progress(int(std::lround((before + share) / parts * take.frames)),
                                              take.frames);
                          }};
    SolvedMotion solved = solve_motion(how, result.source, take.contacts, take.first_motion_frame);
    before = 1.0;
    for (const LoopFrames& loop : loops) {
        solve_cycle(how, result.source, take.contacts, loop, solved);
        before += 2.0;
    }
    result.target = std::move(solved.target);
    result.contacts = std::move(solved.contacts);
    result.corrections = std::move(solved.corrections);
    if (has_stage(TouchStage::last))
        for (std::string& note : touch_motion(target, result.target, layers, TouchStage::last,
                                              {take.start_s, take.frame_time_s, take.first_motion_frame}))
            result.touch_notes.push_back(std::move(note));
    if (result.plan.program.body.root >= 0) {
        const CarriedBody& body = result.plan.program.body;
        put_on_root(target.rig.skeleton, body.root, body.top,
                    root_track(result.target, body.lines, take.frame_time_s, take.first_motion_frame),
                    result.target);
        baked.translated.push_back(body.root);
        std::sort(baked.translated.begin(), baked.translated.end());
    }
    if (to_release) return result;
    std::vector<Quat>& R = baked.R.edit();
    std::vector<Vec3>& p = baked.p.edit();
    R.resize(size_t(take.frames) * size_t(joints));
    p.resize(size_t(take.frames) * baked.translated.size());
    const ResultView local(target.rig.skeleton, result);
    for_each_frame(take.frames, threads, [&](int first, int last) {
        for (int f = first; f < last; ++f) {
            for (int j = 0; j < joints; ++j) R[size_t(f) * size_t(joints) + size_t(j)] = local.rotation(f, j);
            for (size_t i = 0; i < baked.translated.size(); ++i)
                p[size_t(f) * baked.translated.size() + i] = local.translation(f, i);
        }
    });
    return result;
}

}  // namespace

TransferResult transfer(const Character& source, const Take& take, const Character& target,
                        const PairingSettings& settings, int threads, const Progress& progress) {
    return transfer_with(source, take, nullptr, target, settings, threads, progress);
}

TransferResult transfer_beside(const Character& source, const Take& take, const Character& target,
                               const PairingSettings& settings, const Known& known,
                               std::shared_ptr<const Beside> beside, int threads, const Progress& progress) {
    return transfer_with(source, take, nullptr, target, settings, threads, progress, known,
                         std::move(beside));
}

TransferResult transfer_lean(const Character& source, Take take, const Character& target,
                             const PairingSettings& settings, int threads, const Progress& progress) {
    return transfer_with(source, take, &take, target, settings, threads, progress);
}

}  // namespace nb
