#include "app/work/live_desk.hpp"

#include <QDir>
#include <QFileInfo>
#include <QStandardPaths>
#include <algorithm>

#include "core/base/fault.hpp"

namespace nb {

namespace {

constexpr int look_ms = 16;

QString text(const std::string& words) {
    return QString::fromStdString(words);
}

}  // namespace

LiveDesk::LiveDesk(Workspace& workspace, Playback& playback, QObject* parent)
    : QObject(parent), workspace_(workspace), playback_(playback) {
    timer_.setInterval(look_ms);
    timer_.setTimerType(Qt::PreciseTimer);
    connect(&timer_, &QTimer::timeout, this, &LiveDesk::look_at_it);
    connect(&jobs_, &Jobs::failed, this, &LiveDesk::failed);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, [this] { follow_stage(false); });
    for (const auto signal : {&Workspace::settings_changed, &Workspace::rest_changed})
        connect(&workspace_, signal, this, [this] { follow_stage(true); });
}

LiveDesk::~LiveDesk() {
    device_.reset();
    session_.reset();
    jobs_.wait();
}

LiveTold LiveDesk::told() const {
    if (session_) return shown_.told;
    LiveFacts facts;
    facts.refused = refused_.toStdString();
    return nb::told(facts);
}

void LiveDesk::listen(const QString& address, bool beyond_this_machine) {
    stop_listening();
    refused_.clear();
    try {
        address_ = address_of(address.trimmed().toStdString());
        if (!address_.is_loopback() && !beyond_this_machine)
            throw FileError(address_.text(), "is open to other machines",
                            "allow that, or listen at 127.0.0.1");
        LiveSession::Setup setup;
        setup.address = address_;
        setup.buffer_s = buffer_ms_ / 1e3;
        if (const LoadedPtr source = workspace_.source()) setup.expected = {source, &source->file.character};
        session_ = std::make_unique<LiveSession>(setup);
    } catch (const std::exception& fault) {
        refused_ = text(fault.what());
        emit failed(refused_);
        emit changed();
        return;
    }
    shown_ = {};
    heights_.clear();
    on_screen_ = {};
    followed_source_ = workspace_.source().get();
    followed_target_ = nullptr;
    wants_own_ = false;
    follow_stage(true);
    timer_.start();
    look_at_it();
    emit changed();
}

void LiveDesk::stop_listening() {
    if (!session_) return;
    if (shown_.is_recording) stop_recording();
    timer_.stop();
    session_.reset();
    shown_ = {};
    heights_.clear();
    is_sending_ = false;
    workspace_.show_live({});
    emit changed();
    emit looked();
}

void LiveDesk::follow(const QString& performer) {
    if (session_) session_->set_performer(performer.toStdString());
}

void LiveDesk::set_buffer_ms(double ms) {
    buffer_ms_ = std::clamp(ms, 0.0, 500.0);
    if (session_) session_->set_buffer(buffer_ms_ / 1e3);
    emit changed();
}

void LiveDesk::take_own_body() {
    if (!session_) return;
    wants_own_ = true;
    session_->take_own_body();
}

/// The session carries what the stage has: its source's roles and rest, its target, their settings.
void LiveDesk::follow_stage(bool is_forced) {
    if (!session_) return;
    const LoadedPtr source = workspace_.source(), target = workspace_.target();
    if (source.get() != followed_source_ && !wants_own_) {
        followed_source_ = source.get();
        session_->set_expected(source ? std::shared_ptr<const Character>(source, &source->file.character)
                                      : nullptr);
    }
    if (target.get() != followed_target_ || is_forced) {
        followed_target_ = target.get();
        session_->set_target(
            target ? std::shared_ptr<const Character>(target, &target->file.character) : nullptr,
            workspace_.settings());
    }
}

void LiveDesk::open_own_body() {
    const auto loaded = session_->as_loaded();
    if (!loaded) return;
    wants_own_ = false;
    workspace_.open_made_take(*loaded, text(shown_.facts.performer));
}

void LiveDesk::look_at_it() {
    if (!session_) return;
    const bool was_recording = shown_.is_recording;
    shown_ = session_->shown(&source_, &target_);
    if (was_recording && !shown_.is_recording) {
        // It has ended by itself: a full disk, another hierarchy.
        emit failed(text(shown_.trouble));
        finish(tape_.name);
    }
    // Nothing is on the stage yet, or it was asked for: the stream brings its own body.
    if (shown_.source && (wants_own_ || !workspace_.source())) open_own_body();
    const LoadedPtr source = workspace_.source(), target = workspace_.target();
    LiveShown live;
    live.address = text(address_.text());
    live.performer = text(shown_.facts.performer);
    live.map = shown_.map;
    live.has_pose = shown_.has_pose && source &&
                    source_.R.size() == source->file.character.rig.skeleton.names.size() &&
                    (!target || target_.R.size() == target->file.character.rig.skeleton.names.size());
    if (live.has_pose) {
        live.source = source_;
        if (target) live.target = target_;
        const int hips = source->file.character.roles.joint("hips");
        if (shown_.posed != shown_posed_ && hips >= 0) {
            Height height;
            height.now_s = shown_.now_s;
            height.stream_m = source_.p[size_t(hips)].y();
            if (playback_.is_playing()) {
                Pose file, none;
                workspace_.take_poses_at(playback_.frame(), file, none);
                if (size_t(hips) < file.p.size()) height.take_m = file.p[size_t(hips)].y();
            }
            heights_.push_back(height);
        }
    }
    while (!heights_.empty() && heights_.front().now_s < shown_.now_s - lane_s - 1.0) heights_.pop_front();
    const bool is_new = shown_.posed != shown_posed_ ||
                        live.has_pose != (workspace_.live() && workspace_.live()->has_pose) ||
                        !workspace_.live() || workspace_.live()->performer != live.performer;
    shown_posed_ = shown_.posed;
    shown_arrived_s_ = shown_.arrived_s;
    if (is_new) workspace_.show_live(std::move(live));
    follow_tape();
    emit looked();
    if (was_recording != shown_.is_recording) emit changed();
}

void LiveDesk::painted() {
    if (!session_ || painted_ == shown_posed_ || !shown_.has_pose) return;
    painted_ = shown_posed_;
    on_screen_.add(live_now_s() - shown_arrived_s_);
}

QString LiveDesk::recordings_folder() const {
    if (workspace_.has_library()) return workspace_.library_folder() + "/takes";
    return QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation) + "/nimble-bone";
}

QString LiveDesk::free_name() const {
    const QDir folder(recordings_folder());
    const QString performer =
        shown_.facts.performer.empty() ? "take" : text(as_performer_name(shown_.facts.performer));
    QString plain = performer;
    // A name that came over the line is never a path.
    for (QChar& c : plain)
        if (!c.isLetterOrNumber() && c != '_') c = '-';
    for (int n = 1;; ++n) {
        QString name = QString("%1-live-%2").arg(plain).arg(n);
        if (!folder.exists(name + ".bvh") && !folder.exists(name + ".live.bvh")) return name;
    }
}

void LiveDesk::record() {
    if (!session_ || shown_.is_recording) return;
    tape_ = {};
    tape_.name = free_name();
    try {
        session_->record((recordings_folder() + "/" + tape_.name).toStdString());
    } catch (const std::exception& fault) {
        emit failed(text(fault.what()));
        return;
    }
    tape_from_s_ = live_now_s();
    taped_number_ = -1;
    shown_.is_recording = true;
    emit said(tr("Records to %1 as it comes.").arg(tape_.name));
    emit changed();
}

void LiveDesk::mark() {
    if (!session_ || !shown_.is_recording) return;
    const QString word = tr("mark %1").arg(tape_.marks.size() + 1);
    session_->mark(word.toStdString());
    tape_.marks.emplace_back(live_now_s() - tape_from_s_, word);
    emit looked();
}

void LiveDesk::follow_tape() {
    if (!shown_.is_recording) return;
    tape_.seconds = live_now_s() - tape_from_s_;
    tape_.frames = shown_.recorded;
    for (const JitterBuffer::Arrival& arrival : shown_.arrivals) {
        if (arrival.arrived_s < tape_from_s_ || arrival.number <= taped_number_) continue;
        taped_number_ = arrival.number;
        if (arrival.missing_before > 0)
            tape_.gaps.emplace_back(arrival.arrived_s - tape_from_s_, arrival.missing_before);
    }
}

void LiveDesk::stop_recording() {
    if (!session_) return;
    const std::string stem = session_->stop_recording();
    shown_.is_recording = false;
    emit changed();
    if (stem.empty()) return emit said(tr("Nothing came while it was recorded."));
    finish(QFileInfo(text(stem)).fileName());
}

QStringList LiveDesk::unfinished() const {
    QStringList names;
    for (const std::string& stem : unfinished_recordings(recordings_folder().toStdString()))
        if (!shown_.is_recording || QFileInfo(text(stem)).fileName() != tape_.name)
            names << QFileInfo(text(stem)).fileName();
    return names;
}

void LiveDesk::finish(const QString& name) {
    const QString stem = recordings_folder() + "/" + name;
    std::string id, path;
    if (const LoadedPtr source = workspace_.source();
        source && !source->file.character_document.path.empty()) {
        id = source->file.character.id;
        path = source->file.character_document.path;
    }
    jobs_.run(
        tr("Making a take of %1").arg(name), not_cancelled(),
        [stem = stem.toStdString(), id, path](const auto&) { return take_of_recording(stem, id, path); },
        [this, name](const RecordedTake& made) {
            QString line = tr("%1: %2 frames at %3 a second").arg(name).arg(made.frames).arg(made.fps);
            for (const std::string& note : made.notes) line += "; " + text(note);
            emit said(line);
            if (workspace_.has_library()) workspace_.read_library_again();
            workspace_.open_file(text(made.document));
            emit changed();
        });
}

void LiveDesk::send_to(OutSettings::Way way, const QString& address, bool beyond_this_machine) {
    if (!session_) return;
    try {
        OutSettings out;
        out.way = way;
        out.to = address_of(address.trimmed().toStdString());
        out.may_leave_machine = beyond_this_machine;
        if (const LoadedPtr target = workspace_.target())
            out.performer = as_performer_name(target->file.character.name);
        session_->set_line_out(out);
        is_sending_ = true;
    } catch (const std::exception& fault) {
        emit failed(text(fault.what()));
    }
    emit changed();
}

void LiveDesk::send_no_more() {
    if (session_) session_->set_line_out({});
    is_sending_ = false;
    emit changed();
}

void LiveDesk::start_device(OutSettings::Way way, double fps, int beside) {
    const LoadedPtr take = workspace_.source();
    if (!take || !take->file.take || take->file.take->frames < 2) {
        emit failed(tr("The device plays the take on the stage: choose one first."));
        return;
    }
    try {
        DeviceSettings settings;
        settings.way = way;
        settings.to = session_ ? address_ : Address();
        settings.fps = fps;
        std::vector<Device::Performer> performers{
            {as_performer_name(take->file.character.name), file_of(take)}};
        const std::vector<Choice>& takes = workspace_.takes();
        if (beside >= 0 && beside < int(takes.size())) {
            const LoadedPtr other = load_choice(takes[size_t(beside)], false, nullptr, nullptr);
            std::string name = as_performer_name(other->file.character.name);
            if (name == performers.front().name) name += "-2";
            performers.push_back({std::move(name), file_of(other)});
        }
        device_.reset();
        device_ = std::make_unique<Device>(settings, std::move(performers));
        device_->set_faults(faults_);
        if (!session_) listen(text(settings.to.text()));
    } catch (const std::exception& fault) {
        emit failed(text(fault.what()));
    }
    emit changed();
}

void LiveDesk::stop_device() {
    device_.reset();
    emit changed();
}

void LiveDesk::set_faults(const DeviceFaults& faults) {
    faults_ = faults;
    if (device_) device_->set_faults(faults);
    emit changed();
}

}  // namespace nb
