#include "app/workspace.hpp"

#include <QDir>
#include <QFileInfo>
#include <QMetaObject>
#include <QStandardPaths>
#include <QUuid>
#include <algorithm>
#include <type_traits>

#include "core/io/bvh.hpp"
#include "core/io/contact_documents.hpp"
#include "core/io/export.hpp"
#include "core/io/file_error.hpp"
#include "core/rest/edit.hpp"
#include "draw/scene.hpp"

namespace nb {

namespace {

const PairingSettings default_settings;

Contacts contacts_of(const LoadedPtr& loaded) {
    return loaded->file.take ? loaded->file.take->contacts : Contacts();
}

const Take* take_of(const LoadedFile& file) {
    return file.take ? &*file.take : nullptr;
}

QString shown_name(const std::string& file_name) {
    QString name = QString::fromStdString(file_name).replace('-', ' ').replace('_', ' ');
    if (!name.isEmpty()) name[0] = name[0].toUpper();
    return name;
}

/// After a file was read in another way, or its roles changed (`is_other_body`: the T is found anew):
/// corrections stay.
void solve_anew(Loaded& loaded, const Loaded& before, bool is_other_body) {
    Character& c = loaded.file.character;
    std::string why;
    if (!can_be_transferred(c.roles, why)) return;
    const Character& old = before.file.character;
    if (is_other_body) align_to_t(c, take_of(loaded.file));
    const auto carry = [&](const RestAlignment& rest) {
        return carried_over(old.roles, rest, old.solved, c.rig.skeleton, c.roles, c.solved);
    };
    if (!old.solved.is_there() || !old.rest.is_there()) return;
    c.rest = carry(old.rest);
    for (const RestAlignment& other : old.other_rests) c.other_rests.push_back(carry(other));
}

/// Reads a file for the stage. `options`: in the place of what its documents say; `roles`: kept from before.
/// A take needs a body that can be carried; a rig may still wait for its roles. `before`: the same file as it
/// was read before, whose roles and corrections of the rest stay.
LoadedPtr load_choice(const Choice& choice, bool as_target, const LoadOptions* options,
                      const Loaded* before) {
    auto loaded = std::make_shared<Loaded>();
    const std::string document = choice.document.toStdString();
    loaded->file = as_target
                       ? load_character(choice.path.toStdString(), document, loaded->notes,
                                        options ? *options : LoadOptions())
                       : load_take((document.empty() ? choice.path : choice.document).toStdString(),
                                   choice.character.toStdString(), loaded->notes, choice.animation, options);
    Character& character = loaded->file.character;
    if (document.empty()) {
        // A file without a document: its id follows from its skeleton, so that its pairings are found again.
        character.id =
            QUuid::createUuidV5(QUuid(), QString::fromStdString(character.rig.skeleton.signature()))
                .toString(QUuid::WithoutBraces)
                .toStdString();
    }
    if (before) character.chains = before->file.character.chains;
    if (before && before->file.take && loaded->file.take) {
        // Contacts by hand stay, moved with the trim and the rate, at the heights of the unit in force.
        Json kept = Json::object();
        write_contacts(kept, before->file);
        Contacts& contacts = loaded->file.take->contacts;
        contacts = read_contacts(kept, choice.path.toStdString(), loaded->file);
        const double scale = character.rig.conventions.unit_m / before->file.character.rig.conventions.unit_m;
        for (Contact& contact : contacts.list) contact.level_m *= scale;
        for (double& level : contacts.floor.levels_m) level *= scale;
    }
    const RoleMap* roles = before ? &before->file.character.roles : nullptr;
    const bool has_roles = roles && !roles->fills.empty();
    if (has_roles) {
        const bool is_other_body = !(character.roles == *roles);
        character.roles = *roles;
        update_role_lists(character.rig.skeleton, character.roles);
        solve_anew(*loaded, *before, is_other_body);
    }
    std::string why;
    if (!can_be_transferred(character.roles, why)) {
        if (!as_target)
            throw FileError(
                choice.path.toStdString(), why,
                "name hips and legs in plain words, or write a character file with nbone characterize");
        loaded->notes.push_back(why + ": give them in the station Roles, then the take is carried");
    }
    loaded->figure = std::make_shared<const Figure>(make_figure(character));
    loaded->segments = bone_segments(character);
    loaded->props = load_props(loaded->file, loaded->notes);
    return LoadedPtr(loaded);
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
    for (const std::string& trouble : library_.troubles) emit failed(QString::fromStdString(trouble));
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
    return {name, QString::fromStdString(entry.path), QString::fromStdString(entry.document), {}, true, 0,
            {}};
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
    before_limbering_.reset();
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
    // What was changed and not saved is still here.
    if (const auto change = file_changes_.find(change_key(choice, as_target));
        change != file_changes_.end()) {
        take_up(change->second.now, as_target);
        return;
    }
    cancelled = std::make_shared<std::atomic<bool>>(false);
    run(
        tr("Reading %1").arg(QFileInfo(choice.path).fileName()), cancelled,
        [choice, as_target](const Progress&) { return load_choice(choice, as_target, nullptr, nullptr); },
        [this, as_target](LoadedPtr loaded) {
            take_up(std::move(loaded), as_target);
            bring_back_changes(as_target);
            // A rig of a kind that is known: the same bones as another's.
            if (const Choice* in_use = choice_in_use(true); as_target && in_use && in_use->document.isEmpty())
                if (const auto kin = kin_of(true); !kin.empty() && kin.front().share > 0.999)
                    emit said(
                        tr("All bones of %1 are here: in Roles, \"take roles from\" gives it the same ones.")
                            .arg(kin.front().name));
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
    before_.reset();
    is_result_current_ = false;
    if (!as_target) unpin();
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
                  QString::fromStdString(file.character), false, 0,
                  QString::fromStdString(file.holds)};
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

QString Workspace::change_key(const Choice& choice, bool as_target) {
    return choice.path + (as_target ? QString("#rig") : QString("#%1").arg(choice.animation));
}

QString Workspace::recovery_path(const QString& key) {
    const auto name = QUuid::createUuidV5(QUuid(), key).toString(QUuid::WithoutBraces);
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved/" + name +
           ".file.json";
}

const Choice* Workspace::choice_in_use(bool of_target) const {
    const int index = of_target ? target_index_ : take_index_;
    const auto& list = of_target ? targets_ : takes_;
    return index >= 0 && index < int(list.size()) ? &list[size_t(index)] : nullptr;
}

/// Keeps a change of a body: in memory, and beside the documents for a crash.
void Workspace::remember_change(bool of_target, const LoadedPtr& loaded) {
    const Choice* choice = choice_in_use(of_target);
    const LoadedPtr before = body(of_target);
    if (!choice || !before) return;
    const QString key = change_key(*choice, of_target);
    const Character& old = before->file.character;
    FileChange& change = file_changes_
                             .try_emplace(key, FileChange{nullptr,
                                                          old.roles,
                                                          old.rig.options,
                                                          {old.rest, old.other_rests, old.solved},
                                                          contacts_of(before),
                                                          old.chains,
                                                          of_target,
                                                          *choice})
                             .first->second;
    change.now = loaded;
    LoadOptions options = loaded->file.character.rig.options;
    LoadOptions saved = change.saved_options;
    options.is_by_hand = saved.is_by_hand = false;
    const QString recovery = recovery_path(key);
    const Character& c = loaded->file.character;
    if (c.roles == change.saved_roles && options == saved && contacts_of(loaded) == change.saved_contacts &&
        c.chains == change.saved_chains &&
        RestState{c.rest, c.other_rests, c.solved}.is_same(change.saved_rest)) {
        file_changes_.erase(key);
        QFile::remove(recovery);
    } else {
        QDir().mkpath(QFileInfo(recovery).path());
        try {
            write_file(recovery.toStdString(), format_document(change_document(loaded->file)));
        } catch (const FileError&) {  // The change itself still holds.
        }
    }
}

void Workspace::keep_change(bool of_target, const LoadedPtr& loaded) {
    remember_change(of_target, loaded);
    take_up(loaded, of_target);
}

bool RestState::is_same(const RestState& other) const {
    return is_same_alignment(rest, other.rest) &&
           std::equal(others.begin(), others.end(), other.others.begin(), other.others.end(),
                      is_same_alignment);
}

RestState Workspace::rest_state(bool of_target) const {
    const LoadedPtr loaded = body(of_target);
    return loaded ? RestState{loaded->file.character.rest, loaded->file.character.other_rests,
                              loaded->file.character.solved}
                  : RestState();
}

void Workspace::set_rest(bool of_target, const QString& path, const RestState& state, bool is_kept) {
    const LoadedPtr before = body(of_target);
    if (!before || QString::fromStdString(before->file.character.rig.path) != path ||
        state.rest.D_W.size() != before->file.character.rig.skeleton.names.size())
        return;
    auto loaded = std::make_shared<Loaded>(*before);
    // What is drawn stays the same: it is on the graphics card already.
    if (!loaded->drawn) loaded->drawn = rig_of(before, before->file.character);
    loaded->file.character.rest = state.rest;
    loaded->file.character.other_rests = state.others;
    if (state.solved.is_there()) loaded->file.character.solved = state.solved;
    loaded->notes.clear();
    if (is_kept) remember_change(of_target, loaded);
    (of_target ? target_ : source_) = loaded;
    is_result_current_ = false;
    compile();
    emit rest_changed();
    emit settings_changed();
    solve();
}

void Workspace::set_chains(const QString& path, const ChainTable& chains) {
    const LoadedPtr before = target_;
    if (!before || QString::fromStdString(before->file.character.rig.path) != path) return;
    auto loaded = std::make_shared<Loaded>(*before);
    if (!loaded->drawn) loaded->drawn = rig_of(before, before->file.character);
    loaded->file.character.chains = chains;
    loaded->notes.clear();
    remember_change(true, loaded);
    target_ = loaded;
    is_result_current_ = false;
    compile();
    emit settings_changed();
    solve();
}

ChainLevels Workspace::levels(const std::string& chain) const {
    return target_ ? levels_of(chain, target_->file.character, settings(), take_key()) : ChainLevels();
}

std::string Workspace::take_key() const {
    return source_ && source_->file.take ? source_->file.take->key() : std::string();
}

const Contacts& Workspace::contacts() const {
    static const Contacts none;
    if (!source_ || !source_->file.take) return none;
    if (source_->file.take->contacts.is_by_hand || !result_) return source_->file.take->contacts;
    return result_->contacts;
}

void Workspace::set_contacts(const QString& path, const Contacts& contacts) {
    const LoadedPtr before = source_;
    if (!before || !before->file.take || QString::fromStdString(before->file.character.rig.path) != path)
        return;
    auto loaded = std::make_shared<Loaded>(*before);
    if (!loaded->drawn) loaded->drawn = rig_of(before, before->file.character);
    loaded->file.take->contacts = contacts;
    tidy_contacts(loaded->file.take->contacts, loaded->file.take->frames);
    loaded->notes.clear();
    remember_change(false, loaded);
    source_ = loaded;
    is_result_current_ = false;
    emit settings_changed();
    solve();
}

void Workspace::set_roles(bool of_target, const QString& path, const RoleMap& roles) {
    const LoadedPtr before = body(of_target);
    if (!before || QString::fromStdString(before->file.character.rig.path) != path) return;
    std::string why;
    std::string why_before;
    // A rig that waits for its roles may go on waiting.
    if (!can_be_transferred(roles, why) &&
        (!of_target || can_be_transferred(before->file.character.roles, why_before))) {
        emit failed(tr("Not done: it would leave %1; give that role to another bone first.")
                        .arg(QString::fromStdString(why)));
        return;
    }
    auto loaded = std::make_shared<Loaded>(*before);
    Character& c = loaded->file.character;
    c.roles = roles;
    update_role_lists(c.rig.skeleton, c.roles);
    solve_anew(*loaded, *before, true);
    loaded->figure = std::make_shared<const Figure>(make_figure(c));
    loaded->segments = bone_segments(c);
    loaded->notes.clear();
    keep_change(of_target, loaded);
}

void Workspace::set_intake(bool of_target, const QString& path, const LoadOptions& wanted) {
    const Choice* in_use = choice_in_use(of_target);
    const LoadedPtr before = body(of_target);
    if (!in_use || !before || QString::fromStdString(before->file.character.rig.path) != path) return;
    auto& cancelled = load_cancel_[of_target ? 1 : 0];
    if (cancelled) *cancelled = true;
    cancelled = std::make_shared<std::atomic<bool>>(false);
    LoadOptions options = wanted;
    options.is_by_hand = true;
    // Another tree is another body: its roles are found anew.
    const bool keeps_roles = options.tree == before->file.character.rig.options.tree;
    run(
        tr("Reading %1").arg(QFileInfo(path).fileName()), cancelled,
        [choice = *in_use, of_target, options, keeps_roles, before](const Progress&) {
            return load_choice(choice, of_target, &options, keeps_roles ? before.get() : nullptr);
        },
        [this, of_target](const LoadedPtr& loaded) { keep_change(of_target, loaded); });
}

/// What was changed and not saved when the program ended without being asked.
void Workspace::bring_back_changes(bool of_target) {
    const Choice* choice = choice_in_use(of_target);
    const LoadedPtr loaded = body(of_target);
    if (!choice || !loaded) return;
    const QString key = change_key(*choice, of_target);
    const QString recovery = recovery_path(key);
    if (file_changes_.contains(key) || !QFile::exists(recovery)) return;
    try {
        const std::string path = recovery.toStdString();
        const Json document = read_document(path, "unsaved");
        const Character& c = loaded->file.character;
        LoadOptions options = c.rig.options;
        read_change(document, path, options);
        RoleMap roles = read_given_roles(document, path, c.rig.skeleton);
        // Confidence and evidence of what was not given by hand are as found.
        for (RoleFill& fill : roles.fills)
            if (const RoleFill* found = c.roles.fill(fill.role); found && found->joint == fill.joint)
                fill = *found;
        roles.is_settled = document.value("settled", false);
        RestState state = rest_state(of_target);
        const bool has_rest = read_rest_change(document, path, c, state.rest, state.others) &&
                              !state.is_same(rest_state(of_target));
        const bool has_roles = !(roles == c.roles);
        const Contacts contacts = read_contacts(document, path, loaded->file);
        const bool has_contacts = !of_target && contacts.is_by_hand && !(contacts == contacts_of(loaded));
        const bool has_options = !(options == c.rig.options);
        const QString rig_path = QString::fromStdString(c.rig.path);
        if (has_roles) set_roles(of_target, rig_path, roles);
        if (has_rest) set_rest(of_target, rig_path, state);
        if (has_options) set_intake(of_target, rig_path, options);
        if (has_contacts && !has_options) set_contacts(rig_path, contacts);
        const ChainTable chains = read_chain_table(document.value("chains", Json::object()), path);
        const bool has_chains = of_target && !(chains == c.chains);
        if (has_chains && !has_options) set_chains(rig_path, chains);
        if (has_roles || has_options || has_rest || has_contacts || has_chains)
            emit said(tr("Changes that were not saved last time are back; Ctrl+S keeps them."));
        else
            QFile::remove(recovery);
    } catch (const FileError&) {
        QFile::remove(recovery);
    }
}

/// Roles and rest of a take's body go to its own character document when that was made for this skeleton,
/// else to one beside the take. Path of it as seen from the take's document; empty when neither has changed.
QString Workspace::save_source(const FileChange& change, const QString& take_document) {
    const Character& c = change.now->file.character;
    if (c.roles == change.saved_roles &&
        RestState{c.rest, c.other_rests, c.solved}.is_same(change.saved_rest))
        return {};
    const QDir folder = QFileInfo(take_document).dir();
    QString path = change.choice.character;
    if (QFile::exists(take_document)) {
        const std::string name = take_document.toStdString();
        const TakeDocument take = read_take_document(read_document(name, "take"), name);
        if (!take.character_path.empty()) path = folder.filePath(QString::fromStdString(take.character_path));
    }
    Json document = character_document(c);
    if (!path.isEmpty() && QFile::exists(path)) {
        const Json there = read_document(path.toStdString(), "character");
        if (there.at("rig").at("signature") == c.rig.skeleton.signature()) {
            // Its file, unit and axes are the rig's own, not the take's.
            for (const auto* key : {"rig", "conventions", "intake"})
                if (there.contains(key))
                    document[key] = there.at(key);
                else
                    document.erase(key);
            write_file(path.toStdString(), format_document(document));
            return folder.relativeFilePath(path);
        }
    }
    path =
        folder.filePath(QFileInfo(QString::fromStdString(c.rig.path)).completeBaseName() + ".character.json");
    write_file(path.toStdString(), format_document(document));
    return folder.relativeFilePath(path);
}

/// Writes what was changed beside the files; false when something could not be written (said).
bool Workspace::save_file_changes() {
    for (auto it = file_changes_.begin(); it != file_changes_.end();) {
        const FileChange& change = it->second;
        const LoadedFile& file = change.now->file;
        QString document = change.choice.document;
        if (document.isEmpty()) {
            const QFileInfo info(change.choice.path);
            document = change.is_target ? info.dir().filePath("character.json")
                                        : info.dir().filePath(info.completeBaseName() + ".take.json");
        }
        try {
            const std::string path = document.toStdString();
            if (change.is_target) {
                write_file(path, format_document(character_document(file.character)));
            } else {
                Json take = changed_take_document(file, path);
                if (const QString character = save_source(change, document); !character.isEmpty())
                    take["character"]["path"] = character.toStdString();
                write_file(path, format_document(take));
            }
        } catch (const FileError& error) {
            emit failed(tr("Not saved, and kept in memory: %1").arg(QString::fromStdString(error.what())));
            return false;
        }
        for (Choice& choice : change.is_target ? targets_ : takes_)
            if (choice.path == change.choice.path) choice.document = document;
        QFile::remove(recovery_path(it->first));
        it = file_changes_.erase(it);
    }
    return true;
}

std::vector<Workspace::Kin> Workspace::kin_of(bool of_target) const {
    std::vector<Kin> kin;
    const LoadedPtr loaded = body(of_target);
    if (!loaded) return kin;
    for (const LibraryEntry& entry : library_.characters) {
        if (entry.document.empty()) continue;
        try {
            const KnownRoles known =
                read_known_roles(read_document(entry.document, "character"), entry.document);
            if (entry.path == loaded->file.character.rig.path) continue;
            kin.push_back({QString::fromStdString(known.name),
                           share_of_bones(known, loaded->file.character.rig.skeleton),
                           QString::fromStdString(entry.document)});
        } catch (const FileError&) {  // one that cannot be read is no kin
        }
    }
    std::stable_sort(kin.begin(), kin.end(), [](const Kin& a, const Kin& b) { return a.share > b.share; });
    return kin;
}

QString Workspace::take_name() const {
    if (is_limbering()) return tr("Limbering");
    return take_index_ >= 0 && take_index_ < int(takes_.size()) ? takes_[size_t(take_index_)].name
                                                                : QString();
}

void Workspace::start_limbering() {
    if (!target_ || is_limbering()) return;
    auto cancelled = std::make_shared<std::atomic<bool>>(false);
    run(
        tr("Reading the limbering take"), cancelled,
        [](const Progress&) {
            Choice choice;
            choice.path = QString::fromStdString(limbering_take());
            const QString document = QString(choice.path).replace(".bvh", ".take.json");
            if (QFile::exists(document)) choice.document = document;
            return load_choice(choice, false, nullptr, nullptr);
        },
        [this](const LoadedPtr& loaded) {
            before_limbering_ = source_ ? source_ : loaded;
            take_up(loaded, false);
            emit limbering_changed();
        });
}

void Workspace::end_limbering() {
    if (!is_limbering()) return;
    const LoadedPtr before = std::move(before_limbering_);
    before_limbering_.reset();
    pairings_.erase(pairing_key());
    take_up(before, false);
    emit limbering_changed();
}

/// What the limbering take showed of the target, kept beside its rig when it is the library's.
void Workspace::keep_certificate() {
    const Choice* choice = choice_in_use(true);
    if (!is_limbering() || !choice || !review_ || !target_) return;
    const Json certificate = certificate_document(target_->file.character, *review_);
    if (choice->is_of_library && !choice->document.isEmpty()) try {
            const QString path = QFileInfo(choice->document).dir().filePath("certificate.json");
            write_file(path.toStdString(), format_document(certificate));
        } catch (const FileError& error) {
            emit failed(tr("The certificate was not kept: %1").arg(QString::fromStdString(error.what())));
            return;
        }
    emit said(tr("Limbering on %1: directions within %2°, tips within %3 cm (p95). Kept as its certificate.")
                  .arg(QString::fromStdString(target_->file.character.name))
                  .arg(review_->worst_direction_p95_deg(), 0, 'f', 1)
                  .arg(review_->worst_tip_p95_cm(), 0, 'f', 1));
}

bool Workspace::has_unsaved_changes() const {
    return !file_changes_.empty() || std::any_of(pairings_.begin(), pairings_.end(), [](const auto& entry) {
        return !(entry.second.pairing.settings == entry.second.saved);
    });
}

void Workspace::save(bool over_others) {
    int written = int(file_changes_.size());
    if (!save_file_changes()) return;
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
    for (const auto& [key, change] : file_changes_) QFile::remove(recovery_path(key));
}

void Workspace::compile() {
    plan_.reset();
    if (!source_ || !target_) return;
    std::string why;
    if (!can_be_transferred(target_->file.character.roles, why)) return;
    try {
        plan_ = std::make_shared<const Plan>(
            compile_plan(source_->file.character, target_->file.character, settings(), take_key()));
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
                    return std::make_shared<const Review>(
                        review_result(source->file.character, target->file.character, *result));
                },
                [this](std::shared_ptr<const Review> review) {
                    review_ = std::move(review);
                    emit review_changed();
                    keep_certificate();
                });
        });
}

void Workspace::pin(const QString& words) {
    if (!result_ || !is_result_current_ || !review_ || !target_) return;
    pinned_ = Pinned{result_, review_, target_, words};
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
    if (is_before_shown() && before_->target.frames == motion_->frames && target_ &&
        before_->target.joints == target_->file.character.rig.skeleton.size()) {
        target = pose_of(before_->target, frame);
        return;
    }
    if (is_result_current_ && result_) {
        target = pose_of(result_->target, frame);
        return;
    }
    if (!plan_) {
        // A rig that waits for its roles stands in its rest.
        if (target_) target = rest_pose(target_->file.character.rig.skeleton);
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
        [path, target = target_, result = result_, cancelled](const Progress& progress) {
            progress(0, 0);
            export_take(path.toStdString(), target->file.character, result->take);
            return true;
        },
        [this, path](bool) { emit said(tr("Written: %1").arg(path)); });
}

}  // namespace nb
