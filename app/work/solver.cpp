#include "app/work/solver.hpp"

#include "core/contact/contacts.hpp"
#include "core/touchup/apply.hpp"

namespace nb {

Solver::Solver(Jobs& jobs, QObject* parent) : QObject(parent), jobs_(jobs) {}

std::shared_ptr<const Take> Solver::take() const {
    if (placed_) return placed_;
    if (!source_ || !source_->file.take) return nullptr;
    return {source_, &*source_->file.take};
}

void Solver::start_anew(const LoadedPtr& source, bool is_source_new, bool is_other_take) {
    if (is_source_new) {
        untouched_ = std::make_shared<const WorldMotion>(
            forward_kinematics(source->file.character.rig.skeleton, *source->file.take));
        motion_ = untouched_;
        on_source_.clear();
        placed_.reset();
    }
    if (is_other_take) unpin();
    bare_of_ = {};
    bare_.reset();
    result_.reset();
    review_.reset();
    events_.clear();
    before_.reset();
}

void Solver::follow(const LoadedPtr& source, const LoadedPtr& target, const PairingSettings& settings,
                    const std::string& take_key, const std::shared_ptr<const Take>& placed) {
    if (placed != placed_ && source) {
        untouched_ = std::make_shared<const WorldMotion>(
            forward_kinematics(source->file.character.rig.skeleton, placed ? *placed : *source->file.take));
        placed_ = placed;
        motion_ = untouched_;
        on_source_.clear();
        marks_.reset();
        found_.reset();
    }
    if (source != source_) {
        found_.reset();
        marks_.reset();
        motion_ = untouched_;
        on_source_.clear();
    }
    source_ = source;
    target_ = target;
    settings_ = settings;
    is_current_ = false;
    plan_.reset();
    touches_ = target ? touches_in_force(target->file.character, settings, take_key) : TouchLayers();
    touch_source();
    std::string why;
    if (!source || !target || !can_be_transferred(target->file.character.roles, why)) return;
    try {
        const std::shared_ptr<const Take> used = take();
        plan_ = std::make_shared<const Plan>(compile_plan(source->file.character, target->file.character,
                                                          settings, used.get(), {used ? &marks() : nullptr}));
    } catch (const std::exception& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

/// The source's motion with the touch-ups that act on it; made anew when one of these has changed.
void Solver::touch_source() {
    const TouchLayers on_source =
        touches_that(touches_, [](const TouchUp& touch) { return touch.stage == TouchStage::source; });
    if (on_source == on_source_) return;
    on_source_ = on_source;
    motion_ = untouched_;
    if (!source_ || !source_->file.take || !any_touch(on_source_, [](const TouchUp&) { return true; }))
        return;
    std::vector<std::string> notes;
    const Character& body = source_->file.character;
    const Take touched = touched_take(body, *take(), on_source_, source_->file.take->start_s, notes);
    motion_ = std::make_shared<const WorldMotion>(forward_kinematics(body.rig.skeleton, touched));
}

void Solver::solve(const std::function<void(const Review&)>& then) {
    cancel();
    if (!plan_) return;
    cancelled_ = not_cancelled();
    jobs_.run(
        tr("Carrying"), cancelled_,
        [source = source_, take = take(), target = target_, settings = settings_](const Progress& progress) {
            return std::make_shared<const TransferResult>(
                transfer(source->file.character, *take, target->file.character, settings, 0, progress));
        },
        [this, then](std::shared_ptr<const TransferResult> result) { show(std::move(result), then); });
}

void Solver::put_result(std::shared_ptr<const TransferResult> result,
                        const std::function<void(const Review&)>& then) {
    cancel();
    if (!plan_) return;
    cancelled_ = not_cancelled();
    show(std::move(result), then);
}

void Solver::show(std::shared_ptr<const TransferResult> result,
                  const std::function<void(const Review&)>& then) {
    result_ = std::move(result);
    is_current_ = true;
    emit result_changed();
    jobs_.run(
        tr("Measuring"), cancelled_,
        [source = source_, target = target_, result = result_, settings = settings_](const Progress&) {
            auto review = std::make_shared<const Review>(
                review_result(source->file.character, target->file.character, *result));
            return std::pair(review, find_events(*review, *result, settings));
        },
        [this, then](std::pair<std::shared_ptr<const Review>, std::vector<ReviewEvent>> measured) {
            review_ = std::move(measured.first);
            events_ = std::move(measured.second);
            emit review_changed();
            if (then) then(*review_);
        });
}

std::shared_ptr<const TransferResult> Solver::without_touch_ups() {
    if (!plan_ || touches_.empty()) return finished();
    Bare now{source_, target_, take(), settings_};
    now.settings.touches.clear();
    now.settings.take_touches.clear();
    if (now == bare_of_) return bare_;
    nb::cancel(bare_cancelled_);
    bare_of_ = now;
    bare_.reset();
    bare_cancelled_ = not_cancelled();
    jobs_.run(
        tr("Carrying without touch-ups"), bare_cancelled_,
        [now](const Progress& progress) {
            Character target = now.target->file.character;
            target.touches.clear();
            return std::make_shared<const TransferResult>(
                transfer(now.source->file.character, *now.take, target, now.settings, 0, progress));
        },
        [this](std::shared_ptr<const TransferResult> result) {
            bare_ = std::move(result);
            emit without_changed();
        });
    return nullptr;
}

void Solver::pin(const QString& words) {
    if (!finished() || !review_ || !target_) return;
    pinned_ = Pinned{result_, review_, target_, words, frames_in_file(source_->file)};
    emit pin_changed();
}

void Solver::unpin() {
    if (!pinned_) return;
    pinned_.reset();
    emit pin_changed();
}

void Solver::remember_before() {
    if (result_) before_ = result_;
}

void Solver::show_before(bool on) {
    if (on == is_before_shown_) return;
    is_before_shown_ = on;
    emit before_shown(on && before_ != nullptr);
}

void Solver::poses_at(int frame, Pose& source, Pose& target) const {
    source = target = {};
    if (!motion_ || frame < 0 || frame >= motion_->frames) return;
    source = pose_of(*motion_, frame);
    if (is_before_shown() && before_->target.frames == motion_->frames && target_ &&
        before_->target.joints == target_->file.character.rig.skeleton.size()) {
        target = pose_of(before_->target, frame);
        return;
    }
    if (finished()) {
        target = pose_of(result_->target, frame);
        return;
    }
    if (!plan_) {
        // A rig that waits for its roles stands in its rest.
        if (target_) target = rest_pose(target_->file.character.rig.skeleton);
        return;
    }
    target.R.resize(plan_->program.body.parents.size());
    target.p.resize(plan_->program.body.parents.size());
    // What was held before a change is held until the whole take is solved again.
    const auto held = held_at(frame);
    solve_pose(plan_->program, source, target, held ? &*held : nullptr, motion_->time_s(frame));
    touch_last(frame, target);
}

/// The touch-ups after contacts on the shown frame: those that need no other frames.
void Solver::touch_last(int frame, Pose& target) const {
    const TouchLayers own = touches_that(touches_, [](const TouchUp& touch) {
        return touch.stage == TouchStage::last &&
               (touch.kind == TouchKind::turn || touch.kind == TouchKind::hand ||
                touch.kind == TouchKind::body);
    });
    if (!any_touch(own, [](const TouchUp&) { return true; })) return;
    WorldMotion one;
    one.frames = 1;
    one.joints = int(target.R.size());
    one.R = std::move(target.R);
    one.p = std::move(target.p);
    touch_motion(target_->file.character, one, own, TouchStage::last,
                 {motion_->time_s(frame), motion_->frame_time_s, 0});
    target.R = std::move(one.R);
    target.p = std::move(one.p);
}

std::optional<Vec3> Solver::place_of(bool in_target, int joint, int frame) const {
    const WorldMotion* motion = in_target ? (result_ ? &result_->target : nullptr) : motion_.get();
    if (!motion || !motion_ || motion->frames != motion_->frames || frame < 0 || frame >= motion->frames ||
        joint < 0 || joint >= motion->joints)
        return {};
    if (in_target && (!target_ || motion->joints != target_->file.character.rig.skeleton.size())) return {};
    return motion->p[motion->at(frame, joint)];
}

std::optional<FrameCorrection> Solver::held_at(int frame) const {
    if (!result_ || !motion_ || int(result_->corrections.hips_m.size()) != motion_->frames ||
        result_->target.joints != int(plan_->program.body.parents.size()))
        return {};
    return result_->corrections.at(frame);
}

std::vector<ReachEffect> Solver::reach_effects(int frame) const {
    if (!plan_ || !motion_ || frame < 0 || frame >= motion_->frames) return {};
    const auto held = held_at(frame);
    return nb::reach_effects(plan_->program, pose_of(*motion_, frame), held ? &*held : nullptr,
                             motion_->time_s(frame));
}

PassEffects Solver::pass_effects(int frame) const {
    if (!plan_ || !motion_ || frame < 0 || frame >= motion_->frames) return {};
    const auto held = held_at(frame);
    return nb::pass_effects(plan_->program, pose_of(*motion_, frame), held ? &*held : nullptr,
                            motion_->time_s(frame));
}

const HandMarks& Solver::marks() const {
    if (!marks_) marks_ = hand_marks(source_->file.character, *take());
    return *marks_;
}

const Contacts& Solver::contacts() const {
    static const Contacts none;
    if (!source_ || !source_->file.take) return none;
    const std::shared_ptr<const Take> used = this->take();
    const Take& take = *used;
    if (take.contacts.is_all_found() && result_ && settings_.passes.contacts &&
        result_->source.frames == take.frames)
        return result_->contacts;
    // While no result tells them they are found here: what is drawn by hand is drawn beside them.
    if (!found_) {
        found_ = take.contacts.is_by_hand ? take.contacts
                                          : find_contacts(source_->file.character, *motion_,
                                                          take.frame_time_s, take.first_motion_frame);
        found_->are_touches_by_hand = take.contacts.are_touches_by_hand;
        found_->things = take.contacts.things;
        put_touches(*found_, marks().touches);
    }
    return *found_;
}

}  // namespace nb
