#include "app/work/workspace.hpp"

#include <QFileInfo>
#include <QMetaObject>
#include <QStandardPaths>
#include <algorithm>
#include <utility>

namespace nb {

Workspace::Workspace(QObject* parent)
    : QObject(parent),
      solver_(jobs_, this),
      scene_(jobs_, solver_, this),
      recovery_(
          (QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved").toStdString()) {
    connect(&jobs_, &Jobs::progressed, this, &Workspace::progressed);
    connect(&jobs_, &Jobs::failed, this, &Workspace::failed);
    connect(&solver_, &Solver::failed, this, &Workspace::failed);
    connect(&solver_, &Solver::result_changed, this, &Workspace::result_changed);
    connect(&solver_, &Solver::review_changed, this, &Workspace::review_changed);
    connect(&solver_, &Solver::pin_changed, this, &Workspace::pin_changed);
    connect(&solver_, &Solver::without_changed, this, &Workspace::without_changed);
    connect(&solver_, &Solver::before_shown, this, &Workspace::before_shown);
    changed_.setSingleShot(true);
    changed_.setInterval(250);
    recover_.setSingleShot(true);
    recover_.setInterval(250);
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, &changed_, qOverload<>(&QTimer::start));
    connect(&changed_, &QTimer::timeout, this, &Workspace::read_library_again);
    connect(&recover_, &QTimer::timeout, this, &Workspace::flush_recovery);
    // Said once somebody listens.
    QMetaObject::invokeMethod(
        this,
        [this] {
            say_troubles(recovery_.troubles());
            if (!recovery_.left().empty()) emit unsaved_changed();
        },
        Qt::QueuedConnection);
}

Workspace::~Workspace() {
    cancel();
    jobs_.wait();
    flush_recovery();
}

Cancelled Workspace::opening() {
    if (!opening_ || *opening_) opening_ = not_cancelled();
    return opening_;
}

void Workspace::cancel() {
    solver_.cancel();
    scene_.cancel();
    nb::cancel(casting_);
    nb::cancel(export_cancel_);
    nb::cancel(opening_);
    for (const Reading& reading : reading_) nb::cancel(reading.cancelled);
    for (const auto& [key, reading] : reading_again_) nb::cancel(reading.cancelled);
}

void Workspace::say_troubles(const std::vector<std::string>& troubles) {
    for (const std::string& trouble : troubles) emit failed(QString::fromStdString(trouble));
}

int Workspace::take_index() const {
    const Opened& take = open_.chosen(false);
    return take.body ? catalogue_.index_of(false, take.key) : -1;
}

int Workspace::target_index() const {
    const Opened& target = open_.chosen(true);
    return target.body ? catalogue_.index_of(true, target.key) : -1;
}

void Workspace::choose(int index, bool as_target) {
    const auto& list = catalogue_.list(as_target);
    if (index < 0 || index >= int(list.size())) return;
    const Choice choice = list[size_t(index)];
    if (scene_.is_open() && !is_limbering()) {
        // In a scene a character takes the cast in hand on; a take stands by itself.
        if (as_target) {
            emit cast_target_wanted(named_in_scene(choice, true, scene_.key().path));
            return;
        }
        close_scene();
    }
    load(choice, as_target);
}

void Workspace::step_target(int by) {
    const int count = int(targets().size());
    const auto& wanted = reading_[1].choice;
    int from = wanted ? catalogue_.index_of(true, key_of(*wanted, true)) : target_index();
    // In a scene what its document says counts, read or not.
    if (const SceneDocument* document = scene_.is_open() ? drafts_.scene(scene_.key()) : nullptr;
        document && scene_.in_hand() < document->casts.size())
        for (int i = 0; i < count; ++i)
            if (named_in_scene(targets()[size_t(i)], true, scene_.key().path).toStdString() ==
                document->casts[scene_.in_hand()].target)
                from = i;
    if (count > 0) choose_target(((from + by) % count + count) % count);
}

std::vector<OpenState> Workspace::open_now() const {
    std::map<DocumentKey, QStringList> unsaved;
    for (const Drafts::Unsaved& one : drafts_.unsaved())
        for (const std::string& what : one.what) unsaved[one.key] << QString::fromStdString(what);
    std::vector<OpenState> states;
    for (const auto& [key, opened] : open_.all()) {
        if (!opened.body) continue;
        const bool is_take = key.kind == DocumentKey::Kind::take;
        const Character& c = opened.body->file.character;
        states.push_back({key, opened.choice.name, open_.is_on_stage(key, !is_take),
                          int(c.roles.fills.size()), QString::fromStdString(c.rest.name), unsaved[key]});
    }
    std::stable_sort(states.begin(), states.end(), [](const OpenState& a, const OpenState& b) {
        return a.is_on_stage != b.is_on_stage ? a.is_on_stage : a.name < b.name;
    });
    return states;
}

void Workspace::open_again(const DocumentKey& key) {
    const bool as_target = key.kind == DocumentKey::Kind::character;
    if (const Opened* opened = open_.find(key); opened && !open_.is_on_stage(key, as_target)) {
        const Choice choice = opened->choice;
        close_scene();
        load(choice, as_target);
    }
}

LoadedPtr Workspace::body(const DocumentKey& key) const {
    const Opened* open = open_.find(key);
    return open ? open->body : nullptr;
}

void Workspace::load(const Choice& choice, bool as_target) {
    Reading& reading = reading_[as_target];
    nb::cancel(reading.cancelled);
    const DocumentKey key = key_of(choice, as_target);
    // What was changed is still here, unless others have written it since and nothing of it is unsaved.
    if (const Opened* held = open_.find(key); held && (held->is_made || drafts_.is_changed(key) ||
                                                       (held->is_touched && drafts_.is_as_on_disk(key)))) {
        Opened again = *held;
        again.choice = choice;
        return open(std::move(again), as_target);
    }
    reading = {choice, not_cancelled()};
    const std::optional<Json> unsaved = left_of(key);
    jobs_.run(
        tr("Reading %1").arg(QFileInfo(choice.path).fileName()), reading.cancelled,
        [choice, as_target, unsaved](const Progress&) { return read_choice(choice, as_target, unsaved); },
        [this, choice, key, as_target, unsaved, before = body(key)](const ReadChoice& read) {
            // An edit or undo may have reached it while it was being read, and a save, too.
            if (const Opened* held = open_.find(key); held && held->body != before)
                return open(*held, as_target);
            open(opened_of(choice, as_target, read, unsaved), as_target);
            // A rig of a kind that is known: the same bones as another's.
            if (as_target && choice.document.isEmpty())
                if (const auto kin = kin_of(true); !kin.empty() && kin.front().share > 0.999)
                    emit said(
                        tr("All bones of %1 are here: in Roles, \"take roles from\" gives it the same ones.")
                            .arg(kin.front().name));
        },
        [this, as_target, flag = reading.cancelled] {
            if (reading_[as_target].cancelled != flag) return;
            reading_[as_target].choice.reset();
            emit choices_changed();
        });
}

std::optional<Json> Workspace::left_of(const DocumentKey& key) const {
    const auto left = recovery_.left().find(key);
    return left == recovery_.left().end() ? std::nullopt : std::optional(left->second);
}

Opened Workspace::opened_of(const Choice& choice, bool as_target, const ReadChoice& read,
                            const std::optional<Json>& unsaved) {
    const DocumentKey key = key_of(choice, as_target);
    drafts_.open_file(key, choice.name.toStdString(), file_of(read.as_on_disk));
    Opened opened{choice, key, read.now};
    if (read.now != read.as_on_disk) {
        drafts_.change_file(key, file_of(read.now));
        drafts_.set_base(key, unsaved->value("base", ""));
        opened.is_touched = true;
        changed_draft(key);
    }
    if (!read.trouble.isEmpty())
        emit failed(tr("What was not saved last time of %1 does not fit any more; it lies in %2. %3")
                        .arg(choice.name, QString::fromStdString(recovery_.put_aside(key)), read.trouble));
    else if (read.now != read.as_on_disk && drafts_.is_changed(key))
        emit said(tr("Changes that were not saved last time are back; Ctrl+S keeps them."));
    return opened;
}

void Workspace::open(Opened opened, bool as_target) {
    const bool was_limbering = !as_target && is_limbering();
    if (was_limbering) drafts_.forget(pairing_key());
    reading_[as_target].choice.reset();
    open_.show(std::move(opened), as_target);
    // What was only looked at goes.
    for (const DocumentKey& key : drafts_.files())
        if (!drafts_.is_changed(key) && !open_.find(key)) drafts_.forget(key);
    show(as_target);
    if (was_limbering) emit limbering_changed();
}

void Workspace::show(bool as_target) {
    for (const auto& note : body(as_target)->notes) emit said(QString::fromStdString(note));
    const bool is_other_take = !as_target && std::exchange(shown_take_, key(false)) != key(false);
    solver_.start_anew(source(), !as_target, is_other_take);
    if (source() && target()) open_pairing(source(), key(true));
    follow();
    if (as_target)
        emit target_changed();
    else
        emit source_changed();
    emit settings_changed();
    solve();
}

void Workspace::open_file(const QString& given, bool as_target) {
    const QString path = whole_path(given);
    if (path.endsWith(".scene.json")) return open_scene(path);
    jobs_.run(
        tr("Reading %1").arg(QFileInfo(path).fileName()), opening(),
        [path, as_target, has_take = source() != nullptr, library = library_now()](const Progress&) {
            SortedFile file = sort_files({path.toStdString()}, library).front();
            if (file.as == Taken::nothing) throw std::runtime_error(file.trouble);
            if (as_target || (file.as == Taken::thing && !has_take)) file.as = Taken::rig;
            return file;
        },
        [this, path](const SortedFile& file) {
            if (file.as == Taken::library) return open_library(path);
            if (file.as == Taken::thing && source()) return emit thing_opened(path);
            const bool is_rig = file.as != Taken::take;
            const int index = catalogue_.add(file, is_rig);
            emit choices_changed();
            choose(index, is_rig);
            QString holds = QString::fromStdString(file.holds);
            if (!file.why.empty()) holds += tr("; %1").arg(QString::fromStdString(file.why));
            emit file_opened(path, !is_rig, holds);
        });
}

void Workspace::open_files(const QStringList& given) {
    QStringList paths;
    for (const QString& path : given) paths << whole_path(path);
    if (paths.isEmpty()) return;
    if (paths.size() == 1 && !QFileInfo(paths[0]).isDir()) return open_file(paths[0]);
    std::vector<std::string> all;
    for (const QString& path : paths) all.push_back(path.toStdString());
    jobs_.run(
        tr("Looking at %1 files").arg(paths.size()), opening(),
        [all, library = library_now()](const Progress&) { return sort_files(all, library); },
        [this](std::vector<SortedFile> files) {
            // A thing goes onto the take that is there; one that comes with it is not read yet.
            const bool has_its_take =
                source() && std::none_of(files.begin(), files.end(), [](const auto& file) {
                    return file.as == Taken::take || file.as == Taken::library;
                });
            for (SortedFile& file : files)
                if (file.as == Taken::thing && !has_its_take) {
                    file.as = Taken::nothing;
                    file.holds += ": drop it by itself once its take is on the stage";
                }
            int take = -1;
            int target = -1;
            for (const SortedFile& file : files) {
                const QString path = QString::fromStdString(file.path);
                if (file.as == Taken::library) open_library(path);
                if (file.as == Taken::thing) emit thing_opened(path);
                if (file.as != Taken::take && file.as != Taken::rig) continue;
                const bool is_rig = file.as == Taken::rig;
                (is_rig ? target : take) = catalogue_.add(file, is_rig);
            }
            emit choices_changed();
            emit files_sorted(files);
            if (take >= 0) choose_take(take);
            if (target >= 0) choose_target(target);
        });
}

QString Workspace::take_name() const {
    if (is_limbering()) return tr("Limbering");
    const int index = take_index();
    if (scene_.is_open()) return QString::fromStdString(scene_.document().casts[scene_.in_hand()].name);
    return index >= 0 ? takes()[size_t(index)].name : open_.on_stage(false).choice.name;
}

}  // namespace nb
