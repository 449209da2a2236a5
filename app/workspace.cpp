#include "app/workspace.hpp"

#include <QDir>
#include <QFileInfo>
#include <QMetaObject>
#include <QStandardPaths>
#include <QUuid>
#include <type_traits>

#include "core/io/bvh.hpp"
#include "core/io/export.hpp"
#include "core/io/file_error.hpp"
#include "draw/scene.hpp"

namespace nb {

namespace {

const PairingSettings default_settings;

QString shown_name(const std::string& file_name) {
    QString name = QString::fromStdString(file_name).replace('-', ' ').replace('_', ' ');
    if (!name.isEmpty()) name[0] = name[0].toUpper();
    return name;
}

}  // namespace

Workspace::Workspace(QObject* parent) : QObject(parent) {
    pool_.setMaxThreadCount(2);
    changed_.setSingleShot(true);
    changed_.setInterval(250);
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, &changed_, qOverload<>(&QTimer::start));
    connect(&changed_, &QTimer::timeout, this, &Workspace::read_library_again);
}

Workspace::~Workspace() {
    cancel();
    pool_.waitForDone();
}

/// Runs `work` in the pool; `done` gets its value in the window's thread unless cancelled meanwhile. A
/// FileError or any other fault becomes a line said by `failed`.
template <typename Work, typename Done>
void Workspace::run(const QString& what, const std::shared_ptr<std::atomic<bool>>& cancelled, Work work,
                    Done done) {
    ++jobs_;
    emit progressed(what, 0, 100);
    pool_.start([this, cancelled, what, work = std::move(work), done = std::move(done)]() mutable {
        using Value = std::invoke_result_t<Work, Progress>;
        std::shared_ptr<Value> value;
        QString error;
        try {
            value = std::make_shared<Value>(work([&](int now, int of) {
                QMetaObject::invokeMethod(this, [this, what, now, of] {
                    if (jobs_ > 0) emit progressed(what, now, of);
                });
                return !*cancelled;
            }));
        } catch (const std::exception& e) {
            error = QString::fromLocal8Bit(e.what());
        }
        QMetaObject::invokeMethod(this, [this, cancelled, value, error, done = std::move(done)]() mutable {
            --jobs_;
            if (jobs_ == 0) emit progressed({}, 0, 0);
            if (*cancelled) return;
            if (value)
                done(std::move(*value));
            else
                emit failed(error);
        });
    });
}

void Workspace::cancel() {
    for (const auto& flag : {solve_cancel_, export_cancel_, load_cancel_[0], load_cancel_[1]})
        if (flag) *flag = true;
}

void Workspace::open_library(const QString& folder) {
    try {
        library_ = nb::open_library(folder.toStdString());
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
        return;
    }
    has_library_ = true;
    takes_.clear();
    targets_.clear();
    take_index_ = target_index_ = -1;
    list_library();
    int first_target = 0;
    for (size_t i = 0; i < library_.characters.size(); ++i)
        if (library_.characters[i].name == "ferrier") first_target = int(i);
    int first_take = 0;
    for (size_t i = 0; i < library_.takes.size(); ++i)
        if (library_.takes[i].name == "quay-walk") first_take = int(i);
    emit choices_changed();
    if (!takes_.empty()) choose_take(first_take);
    if (!targets_.empty()) choose_target(first_target);
}

Choice Workspace::choice_of(const LibraryEntry& entry, bool is_character) {
    QString name = shown_name(entry.name);
    if (is_character) {
        name = name.toLower();
        if (!entry.document.empty()) try {
                name = QString::fromStdString(
                    read_document(entry.document, "character").value("name", entry.name));
            } catch (const std::exception& error) {
                emit failed(QString::fromStdString(error.what()));
            }
    }
    return {name, QString::fromStdString(entry.path), QString::fromStdString(entry.document), {}, true, 0};
}

/// The library's entries before what was opened beside it; what is in use stays in use.
void Workspace::list_library() {
    const auto list = [&](std::vector<Choice>& choices, int& index, const std::vector<LibraryEntry>& entries,
                          bool is_character) {
        const QString in_use = index >= 0 ? choices[size_t(index)].path : QString();
        std::vector<Choice> renewed;
        renewed.reserve(entries.size() + choices.size());
        for (const LibraryEntry& entry : entries) renewed.push_back(choice_of(entry, is_character));
        for (const Choice& choice : choices)
            if (!choice.is_of_library) renewed.push_back(choice);
        choices = std::move(renewed);
        const auto at =
            std::find_if(choices.begin(), choices.end(), [&](const Choice& c) { return c.path == in_use; });
        index = at == choices.end() ? -1 : int(at - choices.begin());
    };
    list(takes_, take_index_, library_.takes, false);
    list(targets_, target_index_, library_.characters, true);
    // Others may work in the same folder.
    if (!watcher_.directories().isEmpty()) watcher_.removePaths(watcher_.directories());
    QStringList folders;
    for (const auto* part : {"", "/characters", "/takes", "/pairings"}) {
        const QString folder = library_folder() + part;
        if (QFileInfo(folder).isDir()) folders << folder;
    }
    for (const LibraryEntry& entry : library_.characters)
        folders << QFileInfo(QString::fromStdString(entry.path)).path();
    if (!folders.isEmpty()) watcher_.addPaths(folders);
}

void Workspace::read_library_again() {
    if (!has_library_) return;
    try {
        Library renewed = nb::open_library(library_.folder);
        library_ = std::move(renewed);
    } catch (const FileError& error) {
        emit failed(
            tr("%1. What is open stays open; nothing is lost.").arg(QString::fromStdString(error.what())));
        return;
    }
    list_library();
    emit choices_changed();
}

bool Workspace::create_library(const QString& folder, const QString& name) {
    try {
        nb::create_library(folder.toStdString(), name.toStdString());
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
        return false;
    }
    open_library(folder);
    return true;
}

template <typename Change>
bool Workspace::change_library(Change change) {
    if (!has_library_) {
        emit failed(tr("No library is open; make one first."));
        return false;
    }
    try {
        change();
    } catch (const FileError& error) {
        emit failed(tr("The library is as it was: %1").arg(QString::fromStdString(error.what())));
        return false;
    }
    read_library_again();
    return true;
}

bool Workspace::add_to_library(const Choice& choice, bool is_character, Choice& added) {
    return change_library([&] {
        const std::string path = choice.path.toStdString();
        const std::string name = choice.name.toStdString();
        // The id stays what it is in use, and with it the pairings.
        const std::string id =
            target_ && target_->file.character.rig.path == path ? target_->file.character.id : std::string();
        const LibraryEntry entry =
            is_character ? add_character(library_, path, choice.document.toStdString(), name, id)
                         : add_take(library_, path, choice.character.toStdString(), name);
        added = choice_of(entry, is_character);
        // What stood beside the library is in it now.
        for (Choice& c : is_character ? targets_ : takes_)
            if (c.path == choice.path) c = added;
    });
}

bool Workspace::rename_in_library(const Choice& choice, bool is_character, const QString& name,
                                  Choice& renamed) {
    return change_library([&] {
        const LibraryEntry entry{"", choice.path.toStdString(), choice.document.toStdString()};
        renamed = choice;
        if (is_character) {
            rename_character(entry, name.toStdString());
            renamed.name = name;
            return;
        }
        renamed = choice_of(rename_take(entry, name.toStdString()), false);
        for (Choice& take : takes_)
            if (take.path == choice.path) take = renamed;
    });
}

bool Workspace::lay_aside(const Choice& choice, bool is_character, Trashed& trashed) {
    const int index = is_character ? target_index_ : take_index_;
    const auto& list = is_character ? targets_ : takes_;
    const bool is_in_use = index >= 0 && index < int(list.size()) && list[size_t(index)].path == choice.path;
    const bool is_done = change_library([&] {
        trashed = nb::lay_aside(library_, {"", choice.path.toStdString(), choice.document.toStdString()},
                                is_character);
    });
    // What took its place in the list comes onto the stage.
    if (is_done && is_in_use && !list.empty()) {
        const int next = std::min(index, int(list.size()) - 1);
        is_character ? choose_target(next) : choose_take(next);
    }
    return is_done;
}

bool Workspace::put_back(const Trashed& trashed) {
    return change_library([&] { nb::put_back(trashed); });
}

void Workspace::choose_take(int index) {
    if (index < 0 || index >= int(takes_.size())) return;
    take_index_ = index;
    load(takes_[size_t(index)], false);
}

void Workspace::choose_target(int index) {
    if (index < 0 || index >= int(targets_.size())) return;
    target_index_ = index;
    load(targets_[size_t(index)], true);
}

void Workspace::step_target(int by) {
    const int count = int(targets_.size());
    if (count > 0) choose_target(((target_index_ + by) % count + count) % count);
}

void Workspace::load(const Choice& choice, bool as_target) {
    auto& cancelled = load_cancel_[as_target ? 1 : 0];
    if (cancelled) *cancelled = true;
    // Roles that were changed and not saved are still here.
    if (const auto change = role_changes_.find(choice.path); as_target && change != role_changes_.end()) {
        take_up(change->second.now, true);
        return;
    }
    cancelled = std::make_shared<std::atomic<bool>>(false);
    run(
        tr("Reading %1").arg(QFileInfo(choice.path).fileName()), cancelled,
        [choice, as_target](const Progress&) {
            auto loaded = std::make_shared<Loaded>();
            const std::string document = choice.document.toStdString();
            loaded->file = as_target
                               ? load_character(choice.path.toStdString(), document, loaded->notes)
                               : load_take((document.empty() ? choice.path : choice.document).toStdString(),
                                           choice.character.toStdString(), loaded->notes, choice.animation);
            if (document.empty()) {
                // A file without a document: its id follows from its skeleton, so that its pairings are found
                // again.
                Character& character = loaded->file.character;
                character.id =
                    QUuid::createUuidV5(QUuid(), QString::fromStdString(character.rig.skeleton.signature()))
                        .toString(QUuid::WithoutBraces)
                        .toStdString();
            }
            std::string why;
            if (!can_be_transferred(loaded->file.character.roles, why))
                throw FileError(
                    choice.path.toStdString(), why,
                    "name hips and legs in plain words, or write a character file with nbone characterize");
            loaded->figure = std::make_shared<const Figure>(make_figure(loaded->file.character));
            loaded->segments = bone_segments(loaded->file.character);
            loaded->props = load_props(loaded->file, loaded->notes);
            return LoadedPtr(loaded);
        },
        [this, as_target](LoadedPtr loaded) {
            take_up(std::move(loaded), as_target);
            if (as_target) bring_back_roles();
        });
}

void Workspace::take_up(LoadedPtr loaded, bool as_target) {
    for (const auto& note : loaded->notes) emit said(QString::fromStdString(note));
    if (as_target) {
        target_ = std::move(loaded);
    } else {
        source_ = std::move(loaded);
        motion_ = std::make_shared<const WorldMotion>(
            forward_kinematics(source_->file.character.rig.skeleton, *source_->file.take));
    }
    result_.reset();
    review_.reset();
    is_result_current_ = false;
    if (source_ && target_) find_pairing_state();
    compile();
    if (as_target)
        emit target_changed();
    else
        emit source_changed();
    emit settings_changed();
    solve();
}

void Workspace::open_file(const QString& path, bool as_target) {
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
            const bool is_rig = file.as != Taken::take;
            const int index = list_file(file, is_rig);
            emit choices_changed();
            if (is_rig)
                choose_target(index);
            else
                choose_take(index);
            QString holds = QString::fromStdString(file.holds);
            if (!file.why.empty()) holds += tr("; %1").arg(QString::fromStdString(file.why));
            emit file_opened(path, !is_rig, holds);
        });
}

int Workspace::list_file(const SortedFile& file, bool is_rig) {
    const QString path = QString::fromStdString(file.path);
    auto& list = is_rig ? targets_ : takes_;
    const auto there =
        std::find_if(list.begin(), list.end(), [&](const Choice& c) { return c.path == path; });
    if (there != list.end()) return int(there - list.begin());
    const int first = int(list.size());
    Choice choice{QFileInfo(path).completeBaseName(),     path,  {},
                  QString::fromStdString(file.character), false, 0};
    const QString beside = QFileInfo(path).dir().filePath("character.json");
    if (is_rig && QFileInfo(path).baseName() == "rig" && QFile::exists(beside)) choice.document = beside;
    if (path.endsWith(".take.json")) choice.document = path;
    if (is_rig || file.animations.size() < 2) {
        list.push_back(choice);
        return first;
    }
    const QString name = choice.name;
    for (size_t i = 0; i < file.animations.size(); ++i) {
        choice.name = name + tr(" · ") + QString::fromStdString(file.animations[i]);
        choice.animation = int(i);
        list.push_back(choice);
    }
    return first;
}

void Workspace::open_files(const QStringList& paths) {
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

QString Workspace::pairing_key() const {
    if (!source_ || !target_) return {};
    return QString::fromStdString(source_->file.character.id + " " + target_->file.character.id);
}

const PairingSettings& Workspace::settings() const {
    const auto at = pairings_.find(pairing_key());
    return at == pairings_.end() ? default_settings : at->second.pairing.settings;
}

QString Workspace::recovery_path(const PairingState& s) const {
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved";
    return folder + "/" + QString::fromStdString(s.pairing.source_id + "_" + s.pairing.target_id) + ".json";
}

void Workspace::find_pairing_state() {
    const QString key = pairing_key();
    if (pairings_.count(key)) return;
    PairingState s;
    const auto hint = [](const Character& c) {
        return QFileInfo(QString::fromStdString(c.rig.path)).fileName().toStdString();
    };
    s.pairing.id = make_uuid();
    s.pairing.source_id = source_->file.character.id;
    s.pairing.target_id = target_->file.character.id;
    s.pairing.source_path = hint(source_->file.character);
    s.pairing.target_path = hint(target_->file.character);
    try {
        if (has_library_ &&
            find_pairing(library_, s.pairing.source_id, s.pairing.target_id, s.pairing, s.path))
            s.text_as_read = read_file(s.path);
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
    }
    s.saved = s.pairing.settings;
    const QString recovery = recovery_path(s);
    if (QFile::exists(recovery)) try {
            const std::string path = recovery.toStdString();
            s.pairing.settings = read_pairing(read_document(path, "pairing"), path).settings;
            emit said(tr("Settings that were not saved last time are back; Ctrl+S keeps them."));
        } catch (const FileError&) {
            QFile::remove(recovery);
        }
    pairings_[key] = std::move(s);
}

Workspace::PairingState& Workspace::state() {
    return pairings_.at(pairing_key());
}

void Workspace::set_settings(const QString& key, const PairingSettings& settings) {
    const auto at = pairings_.find(key);
    if (at == pairings_.end()) return;
    at->second.pairing.settings = settings;
    const QString recovery = recovery_path(at->second);
    if (settings == at->second.saved) {
        QFile::remove(recovery);
    } else {
        // A crash loses nothing: what is not saved yet stands beside.
        QDir().mkpath(QFileInfo(recovery).path());
        try {
            write_file(recovery.toStdString(), format_document(pairing_document(at->second.pairing)));
        } catch (const FileError&) {  // The change itself still holds.
        }
    }
    if (key != pairing_key()) return;
    is_result_current_ = false;
    compile();
    emit settings_changed();
    solve();
}

QString Workspace::recovery_path(const std::string& character_id) {
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved/" +
           QString::fromStdString(character_id) + ".character.json";
}

void Workspace::set_target_roles(const QString& rig_path, const RoleMap& roles) {
    if (!target_ || QString::fromStdString(target_->file.character.rig.path) != rig_path) return;
    std::string why;
    if (!can_be_transferred(roles, why)) {
        emit failed(tr("Not done: it would leave %1; give that role to another bone first.")
                        .arg(QString::fromStdString(why)));
        return;
    }
    auto loaded = std::make_shared<Loaded>(*target_);
    Character& c = loaded->file.character;
    auto& change = role_changes_.try_emplace(rig_path, RoleChange{nullptr, c.roles}).first->second;
    c.roles = roles;
    update_role_lists(c.rig.skeleton, c.roles);
    c.rest = align_rest(c.rig.skeleton, c.roles, loaded->file.take ? &*loaded->file.take : nullptr);
    loaded->figure = std::make_shared<const Figure>(make_figure(c));
    loaded->segments = bone_segments(c);
    loaded->notes.clear();
    change.now = loaded;
    const QString recovery = recovery_path(c.id);
    if (c.roles == change.saved) {
        role_changes_.erase(rig_path);
        QFile::remove(recovery);
    } else {
        QDir().mkpath(QFileInfo(recovery).path());
        try {
            write_file(recovery.toStdString(), format_document(character_document(c)));
        } catch (const FileError&) {  // The change itself still holds.
        }
    }
    take_up(loaded, true);
}

/// Roles that were changed and not saved when the program ended without being asked.
void Workspace::bring_back_roles() {
    const QString recovery = recovery_path(target_->file.character.id);
    const QString rig_path = QString::fromStdString(target_->file.character.rig.path);
    if (role_changes_.contains(rig_path) || !QFile::exists(recovery)) return;
    try {
        Character c = target_->file.character;
        std::vector<std::string> notes;
        const std::string path = recovery.toStdString();
        apply_character_document(read_document(path, "character"), path, c, nullptr, notes);
        if (c.roles == target_->file.character.roles) return;
        set_target_roles(rig_path, c.roles);
        emit said(tr("Roles that were not saved last time are back; Ctrl+S keeps them."));
    } catch (const FileError&) {
        QFile::remove(recovery);
    }
}

/// Writes the roles that were changed beside their rigs; false when something could not be written (said).
bool Workspace::save_roles() {
    for (auto it = role_changes_.begin(); it != role_changes_.end();) {
        const Character& c = it->second.now->file.character;
        QString document;
        for (const Choice& choice : targets_)
            if (choice.path == it->first)
                document = choice.document.isEmpty() ? QFileInfo(choice.path).dir().filePath("character.json")
                                                     : choice.document;
        try {
            write_file(document.toStdString(), format_document(character_document(c)));
        } catch (const FileError& error) {
            emit failed(tr("Not saved, and kept in memory: %1").arg(QString::fromStdString(error.what())));
            return false;
        }
        for (Choice& choice : targets_)
            if (choice.path == it->first) choice.document = document;
        QFile::remove(recovery_path(c.id));
        it = role_changes_.erase(it);
    }
    return true;
}

bool Workspace::has_unsaved_changes() const {
    return !role_changes_.empty() || std::any_of(pairings_.begin(), pairings_.end(), [](const auto& entry) {
        return !(entry.second.pairing.settings == entry.second.saved);
    });
}

void Workspace::save(bool over_others) {
    int written = int(role_changes_.size());
    if (!save_roles()) return;
    for (auto& [key, s] : pairings_) {
        if (s.pairing.settings == s.saved) continue;
        if (!has_library_) {
            emit failed(tr("There is no library to save in; open one with nimble-bone FOLDER."));
            return;
        }
        try {
            if (s.path.empty()) s.path = nb::pairing_path(library_, s.pairing);
            const bool is_there = QFile::exists(QString::fromStdString(s.path));
            if (is_there && !over_others && read_file(s.path) != s.text_as_read) {
                emit changed_by_others(QString::fromStdString(s.path));
                return;
            }
            const std::string text = format_document(pairing_document(s.pairing));
            write_file(s.path, text);
            s.text_as_read = text;
            s.saved = s.pairing.settings;
            QFile::remove(recovery_path(s));
            ++written;
        } catch (const FileError& error) {
            emit failed(tr("Not saved, and kept in memory: %1").arg(QString::fromStdString(error.what())));
            return;
        }
    }
    emit said(written ? tr("Saved.") : tr("Nothing to save: all is as on disk."));
    emit settings_changed();
}

void Workspace::drop_recovery() const {
    for (const auto& [key, s] : pairings_) QFile::remove(recovery_path(s));
    for (const auto& [path, change] : role_changes_)
        QFile::remove(recovery_path(change.now->file.character.id));
}

void Workspace::compile() {
    plan_.reset();
    if (!source_ || !target_) return;
    try {
        plan_ = std::make_shared<const Plan>(
            compile_plan(source_->file.character, target_->file.character, settings()));
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

void Workspace::solve() {
    if (solve_cancel_) *solve_cancel_ = true;
    if (!plan_) return;
    solve_cancel_ = std::make_shared<std::atomic<bool>>(false);
    const auto cancelled = solve_cancel_;
    run(
        tr("Carrying"), cancelled,
        [source = source_, target = target_, settings = settings()](const Progress& progress) {
            return std::make_shared<const TransferResult>(transfer(
                source->file.character, *source->file.take, target->file.character, settings, 0, progress));
        },
        [this, cancelled](std::shared_ptr<const TransferResult> result) {
            result_ = std::move(result);
            is_result_current_ = true;
            emit result_changed();
            run(
                tr("Measuring"), cancelled,
                [source = source_, target = target_, result = result_](const Progress&) {
                    return std::make_shared<const Review>(review_transfer(
                        source->file.character, result->source, target->file.character, result->target,
                        source->file.take->frame_time_s, source->file.take->first_motion_frame));
                },
                [this](std::shared_ptr<const Review> review) {
                    review_ = std::move(review);
                    emit review_changed();
                });
        });
}

void Workspace::poses_at(int frame, Pose& source, Pose& target) const {
    source = target = {};
    if (!motion_ || frame < 0 || frame >= motion_->frames) return;
    source = pose_of(*motion_, frame);
    if (is_result_current_ && result_) {
        target = pose_of(result_->target, frame);
        return;
    }
    if (!plan_) return;
    target.R.resize(plan_->T_parents.size());
    target.p.resize(plan_->T_parents.size());
    solve_pose(*plan_, source, target);
}

std::array<double, 3> Workspace::pass_distances_cm(int frame) const {
    std::array<double, 3> result{0, 0, 0};
    if (!plan_ || !motion_ || frame < 0 || frame >= motion_->frames) return result;
    const Pose source = pose_of(*motion_, frame);
    return nb::pass_distances_cm(*plan_, source);
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
        [path, target = target_, result = result_, cancelled](const Progress& progress) {
            progress(0, 0);
            export_take(path.toStdString(), target->file.character, result->take);
            return true;
        },
        [this, path](bool) { emit said(tr("Written: %1").arg(path)); });
}

}  // namespace nb
