#include "live/live_solve.hpp"

#include "core/motion/kinematics.hpp"
#include "core/solve/passes.hpp"

namespace nb {

namespace {

std::unique_ptr<Plan> plan_of(const Character& source, const Character& target,
                              const PairingSettings& settings) {
    auto plan = std::make_unique<Plan>(compile_plan(source, target, settings));
    plan->program.passes.touch = plan->program.passes.hold = plan->program.passes.clear = false;
    return plan;
}

}  // namespace

LiveSolve::LiveSolve(const Character& source, const Character& target, const PairingSettings& settings)
    : source_(source.rig.skeleton),
      skeleton_(target.rig.skeleton),
      plan_(plan_of(source, target, settings)),
      is_about_first_(settings.about.kind == MapCentre::Kind::first_place),
      moments_(plan_->program, source_),
      contacts_(plan_->program),
      feet_(plan_->program),
      target_(rest_pose(skeleton_)) {}

bool LiveSolve::add(long number, double t_s, std::span<const Quat> R_PJ, std::span<const int> translated,
                    std::span<const Vec3> p_PJ) {
    const bool is_first = moments_.size() == 0;
    if (!moments_.add(number, t_s, R_PJ, translated, p_PJ)) return false;
    if (is_first && is_about_first_) {
        const Vec3 hips = moments_.at(0).hips_m;
        plan_->program.map.about = {hips.x(), 0.0, hips.z()};
        moments_.ask_anew();
    }
    return true;
}

bool LiveSolve::show(double t_s) {
    // Those between are seen by the contacts, and not posed.
    if (!moments_.go_to(t_s)) return false;
    const Program& program = plan_->program;
    const FrameCorrection* held = nullptr;
    if (program.passes.contacts && program.passes.reach) {
        contacts_.step(moments_);
        held = &feet_.step(moments_, contacts_);
    }
    const Moment& now = moments_.shown();
    TargetFrame T{target_.R, target_.p};
    run_passes(program, {now.R, now.p, now.t_s}, T, held);
    if (program.body.root >= 0) {
        // The root bone goes with the body: over the floor below the hips, by their heading.
    }
    return true;
}

void LiveSolve::clear() {
    moments_.clear();
    contacts_.clear();
    feet_.clear();
}

}  // namespace nb
