#include "live/live_solve.hpp"

#include "core/contact/touches.hpp"
#include "core/motion/heading.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/passes.hpp"

namespace nb {

namespace {

std::unique_ptr<Plan> plan_of(const Character& source, const Character& target,
                              const PairingSettings& settings) {
    // Skins belong to a take: here one that has no frames yet.
    Take none;
    none.joints = source.rig.skeleton.size();
    const HandMarks nothing;
    auto plan = std::make_unique<Plan>(compile_plan(source, target, settings, &none, {&nothing}));
    plan->program.passes.touch = false;
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
      things_(source, target, settings, plan_->program),
      limbs_(plan_->program),
      target_(rest_pose(skeleton_)) {
    one_.frames = 1;
    one_.joints = skeleton_.size();
}

bool LiveSolve::add(long number, double t_s, const Take& take, int frame) {
    const bool is_first = moments_.size() == 0;
    if (!moments_.add(number, t_s, take, frame)) return false;
    if (is_first && is_about_first_) {
        const Vec3 hips = moments_.at(0).hips_m;
        plan_->program.map.about = {hips.x(), 0.0, hips.z()};
        moments_.ask_anew();
    }
    return true;
}

bool LiveSolve::show(double t_s, bool may_look) {
    // Those between are seen by the contacts, and not posed.
    if (!moments_.go_to(t_s)) return false;
    const Program& program = plan_->program;
    const bool has_contacts = program.passes.contacts && program.passes.reach;
    if (has_contacts) contacts_.step(moments_);
    held_ = has_contacts ? feet_.step(moments_, contacts_) : FrameCorrection();
    held_.is_held = has_contacts;
    std::vector<HeldThing>& held_things = plan_->program.things;
    held_things.clear();
    std::vector<HeldThing> things = things_.step(moments_, held_);
    // What hands are led away from counts no more for what comes.
    if (things_.are_held()) held_things = things;
    limbs_.step(moments_, contacts_, held_, may_look);
    held_things = std::move(things);
    for (const size_t leg : {size_t(0), size_t(1)}) feet_.moved(leg, held_.clear[leg].by_m);
    const Moment& now = moments_.shown();
    TargetFrame T{target_.R, target_.p};
    run_passes(program, {now.R, now.p, now.t_s}, T, &held_);
    if (program.body.root >= 0) lead_root();
    return true;
}

/// The root bone goes over the floor below the hips, by the body's heading; while the body lies by its last one.
void LiveSolve::lead_root() {
    const CarriedBody& body = plan_->program.body;
    one_.R = target_.R;
    one_.p = target_.p;
    if (const auto heading = heading_now(one_, body.lines, 0)) heading_ = *heading;
    const Vec3 centre = hip_centre(target_.p, body.lines);
    const Rigid root{exp_rotation(heading_ * Vec3::UnitY()), Vec3(centre.x(), 0.0, centre.z())};
    put_on_root(skeleton_, body.root, body.top, {root}, one_);
    target_.R = one_.R;
    target_.p = one_.p;
}

void LiveSolve::clear() {
    moments_.clear();
    contacts_.clear();
    feet_.clear();
    things_.clear();
    limbs_.clear();
}

}  // namespace nb
