// The pair in the workspace: carried, measured, shown, limbered, exported.
#include <QDir>
#include <QFile>
#include <QFileInfo>

#include "app/work/run.hpp"
#include "core/base/files.hpp"
#include "core/contact/contacts.hpp"
#include "core/documents/review.hpp"
#include "core/handover/export.hpp"
#include "core/rest/edit.hpp"

namespace nb {

ChainLevels Workspace::levels(const std::string& chain) const {
    return target() ? levels_of(chain, target()->file.character, settings(), take_key()) : ChainLevels();
}

std::string Workspace::take_key() const {
    return source() && source()->file.take ? source()->file.take->key() : std::string();
}

const Contacts& Workspace::contacts() const {
    static const Contacts none;
    if (!source() || !source()->file.take) return none;
    const Take& take = *source()->file.take;
    if (take.contacts.is_by_hand) return take.contacts;
    if (result_ && settings().passes.contacts && result_->source.frames == take.frames)
        return result_->contacts;
    // While no result tells them they are found here: what is drawn by hand is drawn beside them.
    if (!found_)
        found_ =
            find_contacts(source()->file.character, *motion_, take.frame_time_s, take.first_motion_frame);
    return *found_;
}

void Workspace::start_limbering() {
    if (!target() || is_limbering()) return;
    auto cancelled = std::make_shared<std::atomic<bool>>(false);
    Choice choice;
    choice.name = tr("Limbering");
    run(
        tr("Reading the limbering take"), cancelled,
        [choice](const Progress&) {
            Choice shipped = choice;
            shipped.path = QString::fromStdString(limbering_take());
            const QString document = QString(shipped.path).replace(".bvh", ".take.json");
            if (QFile::exists(document)) shipped.document = document;
            return Opened{shipped, key_of(shipped, false), load_choice(shipped, false, nullptr, nullptr),
                          true};
        },
        [this](const Opened& limbering) {
            // A take that is still being read does not push in.
            if (load_cancel_[0]) *load_cancel_[0] = true;
            wanted_[0].reset();
            if (!is_limbering()) before_limbering_ = open_[0].body ? open_[0] : limbering;
            open_[0] = limbering;
            show(false);
            emit limbering_changed();
        });
}

void Workspace::end_limbering() {
    if (!is_limbering()) return;
    drafts_.forget(pairing_key());
    open_[0] = *before_limbering_;
    open_[0].is_limbering = false;
    before_limbering_.reset();
    show(false);
    emit limbering_changed();
}

/// What the limbering take showed of a target, kept beside its rig when it is the library's.
void Workspace::keep_certificate(const Opened& of) {
    if (!review_) return;
    const Json certificate = certificate_document(of.body->file.character, *review_);
    if (of.choice.is_of_library && !of.choice.document.isEmpty()) try {
            const QString path = QFileInfo(of.choice.document).dir().filePath("certificate.json");
            write_file(path.toStdString(), format_document(certificate));
        } catch (const std::exception& error) {
            emit failed(tr("The certificate was not kept: %1").arg(QString::fromStdString(error.what())));
            return;
        }
    emit said(tr("Limbering on %1: directions within %2°, tips within %3 cm (p95). Kept as its certificate.")
                  .arg(QString::fromStdString(of.body->file.character.name))
                  .arg(review_->worst_direction_p95_deg(), 0, 'f', 1)
                  .arg(review_->worst_tip_p95_cm(), 0, 'f', 1));
}

void Workspace::compile() {
    plan_.reset();
    if (!source() || !target()) return;
    std::string why;
    if (!can_be_transferred(target()->file.character.roles, why)) return;
    try {
        plan_ = std::make_shared<const Plan>(
            compile_plan(source()->file.character, target()->file.character, settings(), take_key()));
    } catch (const std::exception& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

void Workspace::solve() {
    if (solve_cancel_) *solve_cancel_ = true;
    if (!plan_) return;
    solve_cancel_ = std::make_shared<std::atomic<bool>>(false);
    const auto cancelled = solve_cancel_;
    // Whose certificate it is, is known before: what comes onto the stage meanwhile has nothing to do with
    // it.
    const std::optional<Opened> limbered = is_limbering() ? std::optional(open_[1]) : std::nullopt;
    run(
        tr("Carrying"), cancelled,
        [source = source(), target = target(), settings = settings()](const Progress& progress) {
            return std::make_shared<const TransferResult>(transfer(
                source->file.character, *source->file.take, target->file.character, settings, 0, progress));
        },
        [this, cancelled, limbered](std::shared_ptr<const TransferResult> result) {
            result_ = std::move(result);
            is_result_current_ = true;
            emit result_changed();
            run(
                tr("Measuring"), cancelled,
                [source = source(), target = target(), result = result_](const Progress&) {
                    return std::make_shared<const Review>(
                        review_result(source->file.character, target->file.character, *result));
                },
                [this, limbered](std::shared_ptr<const Review> review) {
                    review_ = std::move(review);
                    emit review_changed();
                    if (limbered) keep_certificate(*limbered);
                });
        });
}

void Workspace::pin(const QString& words) {
    if (!result_ || !is_result_current_ || !review_ || !target()) return;
    pinned_ = Pinned{result_, review_, target(), words};
    emit pin_changed();
}

void Workspace::unpin() {
    if (!pinned_) return;
    pinned_.reset();
    emit pin_changed();
}

void Workspace::remember_before() {
    if (result_) before_ = result_;
}

void Workspace::show_before(bool on) {
    if (on == is_before_shown_) return;
    is_before_shown_ = on;
    emit before_shown(on && before_ != nullptr);
}

void Workspace::poses_at(int frame, Pose& source, Pose& target) const {
    source = target = {};
    if (!motion_ || frame < 0 || frame >= motion_->frames) return;
    source = pose_of(*motion_, frame);
    if (is_before_shown() && before_->target.frames == motion_->frames && this->target() &&
        before_->target.joints == this->target()->file.character.rig.skeleton.size()) {
        target = pose_of(before_->target, frame);
        return;
    }
    if (is_result_current_ && result_) {
        target = pose_of(result_->target, frame);
        return;
    }
    if (!plan_) {
        // A rig that waits for its roles stands in its rest.
        if (this->target()) target = rest_pose(this->target()->file.character.rig.skeleton);
        return;
    }
    target.R.resize(plan_->T_parents.size());
    target.p.resize(plan_->T_parents.size());
    // What was held before a change is held until the whole take is solved again.
    const auto held = held_at(frame);
    solve_pose(*plan_, source, target, held ? &*held : nullptr);
}

std::optional<FrameCorrection> Workspace::held_at(int frame) const {
    if (!result_ || !motion_ || int(result_->corrections.hips_m.size()) != motion_->frames ||
        result_->target.joints != int(plan_->T_parents.size()))
        return {};
    return result_->corrections.at(frame);
}

PassEffects Workspace::pass_effects(int frame) const {
    if (!plan_ || !motion_ || frame < 0 || frame >= motion_->frames) return {};
    const auto held = held_at(frame);
    return nb::pass_effects(*plan_, pose_of(*motion_, frame), held ? &*held : nullptr);
}

void Workspace::export_result(const QString& path) {
    if (!result_ || !is_result_current_) {
        emit failed(tr("There is no finished transfer to export yet."));
        return;
    }
    export_cancel_ = std::make_shared<std::atomic<bool>>(false);
    const auto cancelled = export_cancel_;
    run(
        tr("Writing %1").arg(QFileInfo(path).fileName()), cancelled,
        [path, target = target(), result = result_, cancelled](const Progress& progress) {
            progress(0, 0);
            std::vector<std::string> notes;
            export_take(path.toStdString(), target->file.character, result->take, &notes);
            return notes;
        },
        [this, path](const std::vector<std::string>& notes) {
            QString line = tr("Written: %1").arg(path);
            for (const std::string& note : notes) line += tr(" · %1").arg(QString::fromStdString(note));
            emit said(line);
        });
}

}  // namespace nb
