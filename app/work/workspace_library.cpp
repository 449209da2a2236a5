// The library in the workspace: listed, changed, followed.
#include <QDir>
#include <QFileInfo>
#include <algorithm>
#include <filesystem>

#include "app/work/run.hpp"
#include "core/base/files.hpp"
#include "core/documents/pairing.hpp"
#include "core/documents/roles.hpp"
#include "core/documents/take.hpp"
#include "core/library/beside.hpp"

namespace nb {

namespace {

QString shown_name(const std::string& file_name) {
    QString name = QString::fromStdString(file_name).replace('-', ' ').replace('_', ' ');
    if (!name.isEmpty()) name[0] = name[0].toUpper();
    return name;
}

LibraryEntry entry_of(const Choice& choice) {
    return {"", choice.path.toStdString(), choice.document.toStdString()};
}

}  // namespace

void Workspace::open_library(const QString& folder) {
    try {
        library_ = nb::open_library(QDir::cleanPath(QFileInfo(folder).absoluteFilePath()).toStdString());
    } catch (const std::exception& error) {
        emit failed(QString::fromStdString(error.what()));
        return;
    }
    has_library_ = true;
    for (const std::string& trouble : library_.troubles) emit failed(QString::fromStdString(trouble));
    takes_.clear();
    targets_.clear();
    list_library();
    const auto first = [](const std::vector<LibraryEntry>& entries, const std::string& wanted) {
        for (size_t i = 0; i < entries.size(); ++i)
            if (entries[i].name == wanted) return int(i);
        return 0;
    };
    emit choices_changed();
    if (!library_.leftovers.empty()) emit leftovers_found(int(library_.leftovers.size()));
    if (!takes_.empty()) choose_take(first(library_.takes, library_.opens_take));
    if (!targets_.empty()) choose_target(first(library_.characters, library_.opens_character));
}

Choice Workspace::choice_of(const LibraryEntry& entry, bool is_character) {
    QString name = shown_name(entry.name);
    if (is_character) {
        name = name.toLower();
        if (!entry.document.empty()) try {
                name = QString::fromStdString(
                    text_in(read_document(entry.document, "character"), "name", entry.name, entry.document));
            } catch (const std::exception& error) {
                emit failed(QString::fromStdString(error.what()));
            }
    }
    // Which of a file's animations a take is, its document says when it is loaded.
    return {name, QString::fromStdString(entry.path), QString::fromStdString(entry.document), {}, true, 0,
            {}};
}

/// The library's entries before what was opened beside it.
void Workspace::list_library() {
    const auto list = [&](std::vector<Choice>& choices, const std::vector<LibraryEntry>& entries,
                          bool is_character) {
        std::vector<Choice> renewed;
        renewed.reserve(entries.size() + choices.size());
        for (const LibraryEntry& entry : entries) renewed.push_back(choice_of(entry, is_character));
        for (const Choice& choice : choices)
            if (!choice.is_of_library) renewed.push_back(choice);
        choices = std::move(renewed);
    };
    list(takes_, library_.takes, false);
    list(targets_, library_.characters, true);
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
    } catch (const std::exception& error) {
        emit failed(
            tr("%1. What is open stays open; nothing is lost.").arg(QString::fromStdString(error.what())));
        return;
    }
    list_library();
    emit choices_changed();
    read_clean_again();
}

/// What is on the stage unchanged follows what others write.
void Workspace::read_clean_again() {
    for (const bool as_target : {false, true}) {
        const Opened& open = open_[as_target];
        if (!open.body || open.is_limbering || drafts_.is_changed(open.key) ||
            drafts_.is_as_on_disk(open.key) || wanted_[as_target] || reading_again_.contains(open.key))
            continue;
        const int index = index_of(as_target, open.key);
        if (index < 0) continue;
        changed_files_.erase(open.key);
        emit said(tr("%1 has changed on disk: it is read again.").arg(open.choice.name));
        choose(index, as_target);
    }
}

bool Workspace::create_library(const QString& folder, const QString& name) {
    try {
        nb::create_library(folder.toStdString(), name.toStdString());
    } catch (const std::exception& error) {
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
    } catch (const std::exception& error) {
        emit failed(tr("The library is as it was: %1").arg(QString::fromStdString(error.what())));
        return false;
    }
    read_library_again();
    return true;
}

void Workspace::lay_leftovers_aside() {
    const size_t count = library_.leftovers.size();
    if (change_library([&] { nb::lay_leftovers_aside(library_); }))
        emit said(tr("%n leftover(s) lie in the library's trash.", nullptr, int(count)));
}

bool Workspace::add_to_library(const Choice& choice, bool is_character, Choice& added) {
    const DocumentKey key = key_of(choice, is_character);
    return change_library([&] {
        const std::string name = choice.name.toStdString();
        // What is open is taken in as it is, changes and all.
        LoadedPtr now = body(key);
        if (!now) now = load_choice(choice, is_character, nullptr, nullptr);
        LibraryEntry entry;
        if (is_character) {
            entry = add_character(library_, now->file, name);
        } else {
            const std::string& character = now->file.character_document.path;
            const QString in_library =
                QDir(library_folder()).relativeFilePath(QString::fromStdString(character));
            const auto unsaved = drafts_.unsaved();
            const bool has_changed_body =
                std::any_of(unsaved.begin(), unsaved.end(), [&](const Drafts::Unsaved& u) {
                    return u.key == key && (std::count(u.what.begin(), u.what.end(), "roles") ||
                                            std::count(u.what.begin(), u.what.end(), "rest"));
                });
            const bool is_known = !character.empty() && !in_library.startsWith("..") && !has_changed_body;
            entry = add_take(library_, now->file, is_known ? character : "",
                             has_changed_body || (!character.empty() && !is_known), name);
        }
        added = choice_of(entry, is_character);
        if (is_character) take_pairings_along(now->file.character, key.path, entry.path);
        take_place(choice, added, is_character);
    });
}

void Workspace::take_place(const Choice& of, const Choice& now, bool is_character) {
    const DocumentKey key = key_of(of, is_character);
    // What stood beside the library is in it now.
    for (Choice& c : is_character ? targets_ : takes_)
        if (key_of(c, is_character) == key) c = now;
    become(key, now, is_character);
}

void Workspace::open_beside(const Choice& choice, bool is_character) {
    const DocumentKey key = key_of(choice, is_character);
    drafts_.set_kept(key, true);
    changed_draft(key);
    auto& list = is_character ? targets_ : takes_;
    if (index_of(is_character, key) < 0) list.push_back(choice);
    emit choices_changed();
    choose(index_of(is_character, key), is_character);
}

/// What is open under `key` is the library's now; its own document keeps what it had.
void Workspace::become(const DocumentKey& key, const Choice& added, bool is_character) {
    Opened& open = open_[is_character];
    if (!open.body || open.key != key) return;
    drafts_.set_kept(key, false);
    changed_files_.insert_or_assign(key, open);
    to_recover_.insert(key);
    auto loaded = copy_for_change(open.body);
    Character& c = loaded->file.character;
    c.rig.path = added.path.toStdString();
    if (is_character) c.name = added.name.toStdString();
    if (const std::string document = added.document.toStdString(); !document.empty()) {
        ReadDocument read{document, read_file(document)};
        if (is_character) {
            loaded->file.character_document = std::move(read);
        } else {
            const TakeDocument take =
                read_take_document(parse_document(read.text, document, "take"), document);
            loaded->file.take->id = take.id;
            loaded->file.take_document = std::move(read);
            if (!take.character_path.empty()) {
                const std::string path =
                    QDir::cleanPath(
                        QFileInfo(added.document).dir().filePath(QString::fromStdString(take.character_path)))
                        .toStdString();
                loaded->file.character_document = {path, read_file(path)};
            }
        }
    }
    open = {added, key_of(added, is_character), loaded};
    drafts_.open_file(open.key, added.name.toStdString(), file_of(loaded));
    changed_files_.insert_or_assign(open.key, open);
    if (source() && target()) open_pairing();
    changed_draft(open.key);
}

/// Pairings kept beside a target that is the library's now are the library's, too.
void Workspace::take_pairings_along(const Character& character, const std::string& from,
                                    const std::string& to) {
    const QDir folder = QFileInfo(QString::fromStdString(from)).dir();
    for (const QString& name : folder.entryList({"*.pairing.json"}, QDir::Files)) {
        try {
            const std::string path = folder.filePath(name).toStdString();
            const Pairing pairing = read_pairing(read_document(path, "pairing"), path);
            if (pairing.target_id != character.id) continue;
            const std::string place = pairing_place(library(), to, pairing.source_id, pairing.target_id);
            std::filesystem::create_directories(std::filesystem::path(place).parent_path());
            write_new_file(place, format_document(pairing_document(pairing)));
        } catch (const std::exception& fault) {
            emit failed(QString::fromStdString(fault.what()));
        }
    }
    // The one in use goes along as it is, saved or not.
    if (!source() || !target() || target()->file.character.id != character.id) return;
    const DocumentKey now = pairing_key();
    const Pairing* pairing = drafts_.pairing(now);
    if (!pairing || !drafts_.is_changed(now)) return;
    DocumentKey then = now;
    then.path = pairing_folder(library(), to);
    if (then == now) return;
    const std::string place = pairing_place(library(), to, then.source_id, then.target_id);
    Pairing saved = *pairing;
    ReadDocument read{place, {}};
    std::vector<std::string> troubles;
    saved.settings = {};
    find_pairing(library(), to, then.source_id, then.target_id, saved, read, troubles);
    const PairingSettings settings = pairing->settings;
    drafts_.open_pairing(then, pair_name(), saved, read);
    drafts_.change_pairing(then, settings);
    drafts_.set_kept(now, false);
    changed_draft(then);
    to_recover_.insert(now);
}

bool Workspace::rename_in_library(const Choice& choice, bool is_character, const QString& name,
                                  Choice& renamed) {
    return change_library([&] {
        renamed = choice;
        if (is_character) {
            const std::string text = rename_character(entry_of(choice), name.toStdString());
            renamed.name = name;
            drafts_.wrote(choice.document.toStdString(), text, name.toStdString());
            follow_name(choice.document.toStdString(), text, name.toStdString());
            return;
        }
        Trashed moved;
        const LibraryEntry entry = rename_take(library_, entry_of(choice), name.toStdString(), moved);
        renamed = choice_of(entry, false);
        for (Choice& take : takes_)
            if (key_of(take, false) == key_of(choice, false)) take = renamed;
        follow_moves(moved.moved);
    });
}

/// The new name of a character in everything that is open and was read from its document.
void Workspace::follow_name(const std::string& document, const std::string& text, const std::string& name) {
    const auto rename = [&](Opened& open, bool is_on_stage) {
        if (!open.body || open.body->file.character_document.path != document) return;
        auto loaded = copy_for_change(open.body);
        loaded->file.character.name = name;
        loaded->file.character.document_text = text;
        loaded->file.character_document.text = text;
        open.body = loaded;
        drafts_.change_file(open.key, file_of(open.body));
        if (!is_on_stage) return;
        if (&open == &open_[1])
            emit target_changed();
        else
            emit source_changed();
    };
    for (auto& [key, open] : changed_files_) rename(open, false);
    if (before_limbering_) rename(*before_limbering_, false);
    for (Opened& open : open_) rename(open, true);
}

void Workspace::follow_moves(const std::vector<std::pair<std::string, std::string>>& moves) {
    const auto keys = drafts_.moved(moves);
    const auto follow = [&](Opened& open) {
        const std::string path = moved_path(open.key.path, moves);
        if (path.empty() || !open.body) return;
        open.key.path = path;
        open.choice.path = QString::fromStdString(path);
        if (const std::string document = moved_path(open.choice.document.toStdString(), moves);
            !document.empty())
            open.choice.document = QString::fromStdString(document);
        auto loaded = copy_for_change(open.body);
        LoadedFile& file = loaded->file;
        file.character.rig.path = path;
        file.character.rig.name = std::filesystem::path(path).stem().string();
        for (ReadDocument* read : {&file.character_document, &file.take_document})
            if (const std::string to = moved_path(read->path, moves); !to.empty()) {
                read->path = to;
                std::error_code error;
                if (std::filesystem::exists(to, error)) read->text = read_file(to);
            }
        open.body = loaded;
        drafts_.change_file(open.key, file_of(open.body));
    };
    std::map<DocumentKey, Opened> renewed;
    for (auto& [key, open] : changed_files_) {
        follow(open);
        renewed.insert_or_assign(open.key, open);
    }
    changed_files_ = std::move(renewed);
    for (Opened& open : open_) {
        follow(open);
        if (const auto same = changed_files_.find(open.key); same != changed_files_.end() && open.body)
            open = same->second;
    }
    if (before_limbering_) follow(*before_limbering_);
    for (const auto& [from, to] : keys) {
        recovery_.drop(from);
        to_recover_.erase(from);
        changed_draft(to);
    }
    // What is being read goes on under its new name.
    for (const auto& [key, reading] : std::map(reading_again_)) {
        DocumentKey to = key;
        to.path = moved_path(key.path, moves);
        if (to.path.empty()) continue;
        *reading.cancelled = true;
        reading_again_.erase(key);
        read_again(to, reading.options);
    }
    for (const bool as_target : {false, true}) {
        if (!wanted_[as_target]) continue;
        Choice again = *wanted_[as_target];
        const std::string path = moved_path(again.path.toStdString(), moves);
        if (path.empty()) continue;
        again.path = QString::fromStdString(path);
        if (const std::string document = moved_path(again.document.toStdString(), moves); !document.empty())
            again.document = QString::fromStdString(document);
        load(again, as_target);
    }
    std::vector<std::pair<DocumentKey, DocumentKey>> left;
    for (const auto& [key, content] : recovery_.left())
        if (const std::string path = moved_path(key.path, moves); !path.empty()) {
            DocumentKey to = key;
            to.path = path;
            left.emplace_back(key, to);
        }
    for (const auto& [from, to] : left) recovery_.move(from, to);
}

bool Workspace::lay_aside(const Choice& choice, bool is_character, Trashed& trashed) {
    const DocumentKey key = key_of(choice, is_character);
    const int index = is_character ? target_index() : take_index();
    const auto& list = is_character ? targets_ : takes_;
    const bool is_in_use = index >= 0 && key_of(list[size_t(index)], is_character) == key;
    const bool is_done = change_library([&] {
        trashed = nb::lay_aside(library_, entry_of(choice), is_character);
        // What is unsaved of it lies there, too, and is saved there.
        follow_moves(trashed.moved);
    });
    // What took its place in the list comes onto the stage.
    if (is_done && is_in_use && !list.empty()) choose(std::min(index, int(list.size()) - 1), is_character);
    return is_done;
}

bool Workspace::put_back(const Trashed& trashed) {
    return change_library([&] {
        nb::put_back(library_, trashed);
        std::vector<std::pair<std::string, std::string>> back;
        for (const auto& [from, to] : trashed.moved) back.emplace_back(to, from);
        follow_moves(back);
    });
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
        } catch (const std::exception&) {  // one that cannot be read is no kin
        }
    }
    std::stable_sort(kin.begin(), kin.end(), [](const Kin& a, const Kin& b) { return a.share > b.share; });
    return kin;
}

}  // namespace nb
