#include "app/work/workspace.hpp"

#include <QDir>
#include <QFileInfo>
#include <QMetaObject>
#include <QStandardPaths>
#include <algorithm>

#include "app/work/run.hpp"
#include "core/base/fault.hpp"
#include "core/documents/format.hpp"
#include "core/library/beside.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

/// A name that no file system mistakes for another, whatever folder the program was started in.
QString whole_path(const QString& path) {
    return QDir::cleanPath(QFileInfo(path).absoluteFilePath());
}

}  // namespace

Workspace::Workspace(QObject* parent)
    : QObject(parent),
      recovery_(
          (QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved").toStdString()) {
    pool_.setMaxThreadCount(2);
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
            for (const std::string& trouble : recovery_.troubles())
                emit failed(QString::fromStdString(trouble));
            if (!recovery_.left().empty()) emit unsaved_changed();
        },
        Qt::QueuedConnection);
}

Workspace::~Workspace() {
    cancel();
    pool_.waitForDone();
    flush_recovery();
}

void Workspace::cancel() {
    for (const auto& flag : {solve_cancel_, export_cancel_, load_cancel_[0], load_cancel_[1]})
        if (flag) *flag = true;
    for (const auto& [key, reading] : reading_again_) *reading.cancelled = true;
}

int Workspace::index_of(bool as_target, const DocumentKey& key) const {
    const auto& list = as_target ? targets_ : takes_;
    for (size_t i = 0; i < list.size(); ++i)
        if (key_of(list[i], as_target) == key) return int(i);
    return -1;
}

int Workspace::take_index() const {
    const Opened& open = before_limbering_ ? *before_limbering_ : open_[0];
    return open.body ? index_of(false, open.key) : -1;
}

int Workspace::target_index() const {
    return open_[1].body ? index_of(true, open_[1].key) : -1;
}

void Workspace::choose(int index, bool as_target) {
    const auto& list = as_target ? targets_ : takes_;
    if (index < 0 || index >= int(list.size())) return;
    load(list[size_t(index)], as_target);
}

void Workspace::step_target(int by) {
    const int count = int(targets_.size());
    const int from = wanted_[1] ? index_of(true, key_of(*wanted_[1], true)) : target_index();
    if (count > 0) choose_target(((from + by) % count + count) % count);
}

const Opened* Workspace::opened(const DocumentKey& key) const {
    for (const Opened& open : open_)
        if (open.body && open.key == key) return &open;
    if (before_limbering_ && before_limbering_->key == key) return &*before_limbering_;
    const auto at = changed_files_.find(key);
    return at == changed_files_.end() ? nullptr : &at->second;
}

LoadedPtr Workspace::body(const DocumentKey& key) const {
    const Opened* open = opened(key);
    return open ? open->body : nullptr;
}

void Workspace::load(const Choice& choice, bool as_target) {
    auto& cancelled = load_cancel_[as_target];
    if (cancelled) *cancelled = true;
    const DocumentKey key = key_of(choice, as_target);
    // What was changed is still here, unless others have written it since and nothing of it is unsaved.
    if (const Opened* held = opened(key);
        held && (drafts_.is_changed(key) || (changed_files_.contains(key) && drafts_.is_as_on_disk(key)))) {
        Opened again = *held;
        again.choice = choice;
        return open(std::move(again), as_target);
    }
    wanted_[as_target] = choice;
    cancelled = std::make_shared<std::atomic<bool>>(false);
    struct Read {
        LoadedPtr as_on_disk, now;
        QString trouble;
    };
    std::optional<Json> unsaved;
    if (const auto left = recovery_.left().find(key); left != recovery_.left().end()) unsaved = left->second;
    run(
        tr("Reading %1").arg(QFileInfo(choice.path).fileName()), cancelled,
        [choice, as_target, unsaved](const Progress&) {
            Read read{load_choice(choice, as_target, nullptr, nullptr), nullptr, {}};
            read.now = read.as_on_disk;
            if (unsaved) try {
                    read.now = load_choice(choice, as_target, nullptr, nullptr, &*unsaved);
                } catch (const std::exception& fault) {
                    read.trouble = QString::fromStdString(fault.what());
                }
            return read;
        },
        [this, choice, key, as_target, unsaved, before = body(key)](const Read& read) {
            // An edit or undo may have reached it while it was being read, and a save, too.
            if (const Opened* held = this->opened(key); held && held->body != before) {
                Opened again = *held;
                return open(std::move(again), as_target);
            }
            drafts_.open_file(key, choice.name.toStdString(), file_of(read.as_on_disk));
            changed_files_.erase(key);
            Opened opened{choice, key, read.now};
            if (read.now != read.as_on_disk) {
                drafts_.change_file(key, file_of(read.now));
                drafts_.set_base(key, unsaved->value("base", ""));
                changed_files_[key] = opened;
                changed_draft(key);
            }
            open(std::move(opened), as_target);
            if (!read.trouble.isEmpty())
                emit failed(
                    tr("What was not saved last time of %1 does not fit any more; it lies in %2. %3")
                        .arg(choice.name, QString::fromStdString(recovery_.put_aside(key)), read.trouble));
            else if (read.now != read.as_on_disk && drafts_.is_changed(key))
                emit said(tr("Changes that were not saved last time are back; Ctrl+S keeps them."));
            // A rig of a kind that is known: the same bones as another's.
            if (as_target && choice.document.isEmpty())
                if (const auto kin = kin_of(true); !kin.empty() && kin.front().share > 0.999)
                    emit said(
                        tr("All bones of %1 are here: in Roles, \"take roles from\" gives it the same ones.")
                            .arg(kin.front().name));
        },
        [this, as_target, flag = cancelled] {
            if (load_cancel_[as_target] != flag) return;
            wanted_[as_target].reset();
            emit choices_changed();
        });
}

void Workspace::open(Opened opened, bool as_target) {
    const bool was_limbering = !as_target && is_limbering();
    if (was_limbering) {
        drafts_.forget(pairing_key());
        before_limbering_.reset();
    }
    wanted_[as_target].reset();
    open_[as_target] = std::move(opened);
    // What was only looked at goes.
    for (const DocumentKey& key : drafts_.files())
        if (!drafts_.is_changed(key) && !this->opened(key)) drafts_.forget(key);
    show(as_target);
    if (was_limbering) emit limbering_changed();
}

void Workspace::show(bool as_target) {
    for (const auto& note : open_[as_target].body->notes) emit said(QString::fromStdString(note));
    if (!as_target) {
        motion_ = std::make_shared<const WorldMotion>(
            forward_kinematics(source()->file.character.rig.skeleton, *source()->file.take));
        unpin();
        found_.reset();
    }
    result_.reset();
    review_.reset();
    before_.reset();
    is_result_current_ = false;
    if (source() && target()) open_pairing();
    compile();
    if (as_target)
        emit target_changed();
    else
        emit source_changed();
    emit settings_changed();
    solve();
}

void Workspace::open_file(const QString& given, bool as_target) {
    const QString path = whole_path(given);
    auto cancelled = std::make_shared<std::atomic<bool>>(false);
    run(
        tr("Reading %1").arg(QFileInfo(path).fileName()), cancelled,
        [path, as_target, library = library_](const Progress&) {
            SortedFile file = sort_files({path.toStdString()}, library).front();
            if (file.as == Taken::nothing) throw std::runtime_error(file.trouble);
            if (as_target) file.as = Taken::rig;
            return file;
        },
        [this, path](const SortedFile& file) {
            if (file.as == Taken::library) return open_library(path);
            const bool is_rig = file.as != Taken::take;
            const int index = list_file(file, is_rig);
            emit choices_changed();
            choose(index, is_rig);
            QString holds = QString::fromStdString(file.holds);
            if (!file.why.empty()) holds += tr("; %1").arg(QString::fromStdString(file.why));
            emit file_opened(path, !is_rig, holds);
        });
}

int Workspace::list_file(const SortedFile& file, bool is_rig) {
    // A document stands for the file it is of.
    const QString motion = whole_path(QString::fromStdString(file.motion.empty() ? file.path : file.motion));
    auto& list = is_rig ? targets_ : takes_;
    Choice choice{QFileInfo(motion).completeBaseName(),   motion, {},
                  QString::fromStdString(file.character), false,  0,
                  QString::fromStdString(file.holds)};
    const bool is_document = file.path.ends_with(".take.json");
    choice.animation = is_document ? file.animation : 0;
    if (const int there = index_of(is_rig, key_of(choice, is_rig)); there >= 0) return there;
    const int first = int(list.size());
    if (is_rig) {
        choice.document = QString::fromStdString(character_document_beside(motion.toStdString()));
        list.push_back(choice);
        return first;
    }
    const QString name = choice.name;
    const int count = is_document ? 1 : std::max(1, int(file.animations.size()));
    for (int i = 0; i < count; ++i) {
        if (!is_document) choice.animation = i;
        if (file.animations.size() > 1)
            choice.name =
                name + tr(" · ") + QString::fromStdString(file.animations[size_t(choice.animation)]);
        choice.document =
            is_document
                ? QString::fromStdString(file.path)
                : QString::fromStdString(take_document_beside(motion.toStdString(), choice.animation));
        // Whose motion it is, its document says, if only by saying nothing.
        choice.character = choice.document.isEmpty() ? QString::fromStdString(file.character) : QString();
        list.push_back(choice);
    }
    return first;
}

void Workspace::open_files(const QStringList& given) {
    QStringList paths;
    for (const QString& path : given) paths << whole_path(path);
    if (paths.isEmpty()) return;
    if (paths.size() == 1 && !QFileInfo(paths[0]).isDir()) return open_file(paths[0]);
    auto cancelled = std::make_shared<std::atomic<bool>>(false);
    std::vector<std::string> all;
    for (const QString& path : paths) all.push_back(path.toStdString());
    run(
        tr("Looking at %1 files").arg(paths.size()), cancelled,
        [all, library = library_](const Progress&) { return sort_files(all, library); },
        [this](const std::vector<SortedFile>& files) {
            int take = -1;
            int target = -1;
            for (const SortedFile& file : files) {
                const QString path = QString::fromStdString(file.path);
                if (file.as == Taken::library) open_library(path);
                if (file.as != Taken::take && file.as != Taken::rig) continue;
                const bool is_rig = file.as == Taken::rig;
                (is_rig ? target : take) = list_file(file, is_rig);
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
    return index >= 0 ? takes_[size_t(index)].name : source() ? open_[0].choice.name : QString();
}

}  // namespace nb
