// The pair in the workspace: carried and limbered, written.
#include <QDir>
#include <QFile>
#include <QFileInfo>

#include "app/work/workspace.hpp"
#include "app/work/written.hpp"
#include "core/base/files.hpp"
#include "core/documents/review.hpp"
#include "core/handover/export.hpp"
#include "core/library/shipped.hpp"

namespace nb {

void Workspace::follow() {
    if (!scene_.is_open() || is_limbering())
        return solver_.follow(source(), target(), settings(), take_key());
    scene_.follow(
        [this](CastBodies& cast) {
            const DocumentKey target = key_of(cast.target, true);
            cast.source = body(key_of(cast.take, false));
            cast.body = body(target);
            const Pairing* pairing = drafts_.pairing(pairing_key(cast.source, cast.body, target.path));
            cast.settings = pairing ? pairing->settings : PairingSettings();
        },
        take_key());
}

void Workspace::solve() {
    if (!is_limbering()) return scene_.is_open() ? scene_.solve() : solver_.solve();
    // Whose certificate it is, is known before: what comes onto the stage meanwhile has nothing to do with
    // it.
    solver_.solve([this, limbered = open_.on_stage(true)](const Review& review) {
        keep_certificate(limbered, review);
    });
}

void Workspace::start_limbering() {
    if (!target() || is_limbering()) return;
    Choice choice;
    choice.name = tr("Limbering");
    jobs_.run(
        tr("Reading the limbering take"), opening(),
        [choice](const Progress&) {
            Choice shipped = choice;
            shipped.path = QString::fromStdString(limbering_take());
            const QString document = QString(shipped.path).replace(".bvh", ".take.json");
            if (QFile::exists(document)) shipped.document = document;
            return Opened{shipped, key_of(shipped, false), load_choice(shipped, false, nullptr, nullptr)};
        },
        [this](const Opened& limbering) {
            // A take that is still being read does not push in.
            nb::cancel(reading_[0].cancelled);
            reading_[0].choice.reset();
            open_.start_limbering(limbering);
            show(false);
            emit limbering_changed();
        });
}

void Workspace::end_limbering() {
    if (!is_limbering()) return;
    drafts_.forget(pairing_key());
    open_.end_limbering();
    show(false);
    emit limbering_changed();
}

/// What the limbering take showed of a target, kept beside its rig when it is the library's.
void Workspace::keep_certificate(const Opened& of, const Review& review) {
    const Json certificate = certificate_document(of.body->file.character, review);
    if (of.choice.is_of_library && !of.choice.document.isEmpty()) try {
            const QString path = QFileInfo(of.choice.document).dir().filePath("certificate.json");
            write_file(path.toStdString(), format_document(certificate));
        } catch (const std::exception& error) {
            emit failed(tr("The certificate was not kept: %1").arg(QString::fromStdString(error.what())));
            return;
        }
    emit said(tr("Limbering on %1: directions within %2°, tips within %3 cm (p95). Kept as its certificate.")
                  .arg(QString::fromStdString(of.body->file.character.name))
                  .arg(review.worst_direction_p95_deg(), 0, 'f', 1)
                  .arg(review.worst_tip_p95_cm(), 0, 'f', 1));
}

void Workspace::use_result_as_take() {
    const auto result = solver_.finished();
    if (!result || is_limbering()) {
        emit failed(tr("There is no finished transfer to go on from yet."));
        return;
    }
    const QString of_take = take_name();
    close_scene();
    auto made = std::make_shared<Loaded>(*target());
    made->notes.clear();
    made->file.take = result->take;
    Take& take = *made->file.take;
    take.id.clear();
    take.contacts = {};
    take.name = of_take.toStdString() + ", " + target()->file.character.name;
    made->file.file_frames = take.frames;
    made->file.file_fps = take.fps();
    made->file.contacts_in_file = {};
    made->file.take_document = {};
    if (!made->drawn) made->drawn = rig_of(target(), target()->file.character);
    open_made(made, tr("result"));
    emit said(tr("The %1's motion is the take now; choose who takes it on. Export keeps it.")
                  .arg(QString::fromStdString(target()->file.character.name)));
}

void Workspace::open_made(const std::shared_ptr<Loaded>& made, const QString& from) {
    Choice choice;
    choice.name = QString::fromStdString(made->file.take->name);
    choice.path = QString("%1 %2/%3").arg(from).arg(++made_count_).arg(choice.name);
    Opened opened{choice, key_of(choice, false), made, true, true};
    drafts_.open_file(opened.key, made->file.take->name, file_of(made));
    drafts_.set_kept(opened.key, false);
    catalogue_.add(choice, false);
    emit choices_changed();
    open(std::move(opened), false);
}

void Workspace::open_made_take(const LoadedFile& file, const QString& name) {
    close_scene();
    auto made = std::make_shared<Loaded>();
    made->file = file;
    made->file.take->name = made->file.character.name = name.toStdString();
    made->figure = std::make_shared<const Figure>(make_figure(made->file.character));
    made->segments = bone_segments(made->file.character);
    open_made(made, tr("stream"));
}

void Workspace::show_live(std::optional<LiveShown> live) {
    const bool is_other = live.has_value() != live_.has_value() ||
                          (live && (live->address != live_->address || live->performer != live_->performer));
    live_ = std::move(live);
    if (is_other) emit live_changed();
    emit live_shown();
}

void Workspace::poses_at(int frame, Pose& source, Pose& target) const {
    if (!live_ || !live_->has_pose) return solver_.poses_at(frame, source, target);
    source = live_->source;
    target = live_->target;
}

std::optional<Vec3> Workspace::place_of(bool in_target, int joint, int frame) const {
    if (!live_ || !live_->has_pose) return solver_.place_of(in_target, joint, frame);
    const Pose& pose = in_target ? live_->target : live_->source;
    return joint >= 0 && size_t(joint) < pose.p.size() ? std::optional(pose.p[size_t(joint)]) : std::nullopt;
}

void Workspace::export_result(const QString& path, const QString& remark) {
    if (!solver_.finished()) {
        emit failed(tr("There is no finished transfer to export yet."));
        return;
    }
    export_cancel_ = not_cancelled();
    jobs_.run(
        tr("Writing %1").arg(QFileInfo(path).fileName()), export_cancel_,
        [path, target = target(), result = result()](const Progress& progress) {
            progress(0, 0);
            std::vector<std::string> notes;
            export_take(path.toStdString(), target->file.character, result->take, &notes);
            return notes;
        },
        [this, path, remark, result = result(), pairing = pairing_key(),
         take = take_key()](const std::vector<std::string>& notes) {
            remember_written(pairing, take,
                             {whole_path(path), fingerprint(result->take), QDateTime::currentDateTime()});
            emit written_changed();
            QString line = tr("Written: %1").arg(path);
            if (!remark.isEmpty()) line += tr(" · %1").arg(remark);
            for (const std::string& note : notes) line += tr(" · %1").arg(QString::fromStdString(note));
            emit said(line);
        });
}

}  // namespace nb
