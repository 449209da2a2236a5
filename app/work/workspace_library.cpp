// The library in the workspace: listed, changed, followed.
#include <QDir>
#include <QFileInfo>
#include <algorithm>
#include <filesystem>

#include "app/work/workspace.hpp"
#include "core/base/files.hpp"
#include "core/documents/pairing.hpp"
#include "core/documents/take.hpp"
#include "core/library/beside.hpp"

namespace nb {

namespace {

LibraryEntry entry_of(const Choice& choice) {
    return {"", choice.path.toStdString(), choice.document.toStdString()};
}

}  // namespace

void Workspace::open_library(const QString& folder) {
    std::vector<std::string> troubles;
    try {
        troubles = catalogue_.open(folder);
    } catch (const std::exception& error) {
        emit failed(QString::fromStdString(error.what()));
        return;
    }
    close_scene();
    say_troubles(troubles);
    watch_library();
    emit choices_changed();
    if (!library()->leftovers.empty()) emit leftovers_found(int(library()->leftovers.size()));
    choose_take(catalogue_.first(false));
    choose_target(catalogue_.first(true));
}

/// Others may work in the same folder.
void Workspace::watch_library() {
    if (!watcher_.directories().isEmpty()) watcher_.removePaths(watcher_.directories());
    const QStringList folders = catalogue_.folders();
    if (!folders.isEmpty()) watcher_.addPaths(folders);
}

void Workspace::read_library_again() {
    if (!has_library()) return;
    std::vector<std::string> troubles;
    try {
        troubles = catalogue_.read_again();
    } catch (const std::exception& error) {
        emit failed(
            tr("%1. What is open stays open; nothing is lost.").arg(QString::fromStdString(error.what())));
        return;
    }
    say_troubles(troubles);
    watch_library();
    emit choices_changed();
    read_clean_again();
}

/// What is on the stage unchanged follows what others write.
void Workspace::read_clean_again() {
    for (const bool as_target : {false, true}) {
        const Opened& open = open_.on_stage(as_target);
        if (!open.body || open_.is_limbering(open.key) || drafts_.is_changed(open.key) ||
            drafts_.is_as_on_disk(open.key) || reading_[as_target].choice ||
            reading_again_.contains(open.key))
            continue;
        const int index = catalogue_.index_of(as_target, open.key);
        if (index < 0) continue;
        emit said(tr("%1 has changed on disk: it is read again.").arg(open.choice.name));
        open_.untouch(open.key);
        load(catalogue_.list(as_target)[size_t(index)], as_target);
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
    if (!has_library()) {
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

std::vector<HandPose> Workspace::hand_poses() const {
    return has_library() ? library()->hands : std::vector<HandPose>();
}

bool Workspace::keep_hand_pose(const HandPose& pose) {
    if (!has_library()) {
        emit said(tr("No library is open: the hand is kept with this touch-up alone."));
        return true;
    }
    if (!change_library([&] { nb::keep_hand_pose(*library(), pose); })) return false;
    emit said(tr("The hand '%1' is in the library, for every rig.").arg(QString::fromStdString(pose.name)));
    return true;
}

void Workspace::lay_leftovers_aside() {
    const size_t count = library()->leftovers.size();
    if (change_library([&] { nb::lay_leftovers_aside(*library()); }))
        emit said(tr("%n leftover(s) lie in the library's trash.", nullptr, int(count)));
}

bool Workspace::add_to_library(const Choice& choice, bool is_character, Choice& added) {
    const DocumentKey key = key_of(choice, is_character);
    if (const Opened* made = open_.find(key); made && made->is_made) {
        emit failed(tr("Not done: %1 is a result, not a file; export it and open that.").arg(choice.name));
        return false;
    }
    return change_library([&] {
        const std::string name = choice.name.toStdString();
        // What is open is taken in as it is, changes and all.
        LoadedPtr now = body(key);
        if (!now) now = load_choice(choice, is_character, nullptr, nullptr);
        LibraryEntry entry;
        if (is_character) {
            entry = add_character(*library(), now->file, name);
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
            entry = add_take(*library(), now->file, is_known ? character : "",
                             has_changed_body || (!character.empty() && !is_known), name);
        }
        std::vector<std::string> troubles;
        added = Catalogue::choice_of(entry, is_character, troubles);
        say_troubles(troubles);
        if (is_character) take_pairings_along(now->file.character, key.path, entry.path);
        take_place(choice, added, is_character);
    });
}

void Workspace::take_place(const Choice& of, const Choice& now, bool is_character) {
    const DocumentKey key = key_of(of, is_character);
    // What stood beside the library is in it now.
    catalogue_.replace(key, is_character, now);
    become(key, now, is_character);
}

void Workspace::open_beside(const Choice& choice, bool is_character) {
    const DocumentKey key = key_of(choice, is_character);
    drafts_.set_kept(key, true);
    changed_draft(key);
    const int index = catalogue_.add(choice, is_character);
    emit choices_changed();
    choose(index, is_character);
}

/// What is open under `key` is the library's now; its own document keeps what it had.
void Workspace::become(const DocumentKey& key, const Choice& added, bool is_character) {
    const Opened& chosen = open_.chosen(is_character);
    if (!chosen.body || chosen.key != key) return;
    Opened before = chosen;
    before.is_touched = true;
    drafts_.set_kept(key, false);
    open_.put(before);
    to_recover_.insert(key);
    auto loaded = copy_for_change(before.body);
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
    const Opened now{added, key_of(added, is_character), loaded, true};
    drafts_.open_file(now.key, added.name.toStdString(), file_of(loaded));
    open_.stand_in(now, is_character);
    if (!is_character && shown_take_ == key) shown_take_ = now.key;
    if (source() && target()) open_pairing(source(), this->key(true));
    changed_draft(now.key);
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
    saved.judged = {};
    find_pairing(library(), to, then.source_id, then.target_id, saved, read, troubles);
    const Pairing changed = *pairing;
    drafts_.open_pairing(then, drafts_.name(now), saved, read);
    drafts_.change_pairing(then, changed.settings);
    drafts_.change_judged(then, changed.judged);
    drafts_.set_kept(now, false);
    changed_draft(then);
    to_recover_.insert(now);
}

bool Workspace::has_unsaved(const std::vector<std::string>& documents) {
    for (const Drafts::Unsaved& unsaved : drafts_.unsaved())
        for (const std::string& document : drafts_.documents(unsaved.key))
            if (std::count(documents.begin(), documents.end(), document)) {
                emit failed(tr("Not done: %1 has unsaved changes; save or undo them first.")
                                .arg(QString::fromStdString(unsaved.name)));
                return true;
            }
    return false;
}

bool Workspace::change_rig(const Choice& character,
                           const std::function<LibraryEntry(const Library&, const LibraryEntry&)>& change,
                           Choice& now) {
    const Choice before = character;
    if (has_unsaved({before.document.toStdString()})) return false;
    const DocumentKey key = key_of(before, true);
    const bool is_target = open_.is_on_stage(key, true);
    LibraryEntry of = entry_of(before);
    of.name = before.entry.toStdString();
    const bool is_done = change_library([&] {
        const LibraryEntry entry = change(*library(), of);
        std::vector<std::string> troubles;
        now = Catalogue::choice_of(entry, true, troubles);
        say_troubles(troubles);
        catalogue_.replace(key, true, now);
        if (now.path != before.path) follow_moves({{of.path, entry.path}});
        // It is another body: what was read of it counts no more.
        open_.untouch(key_of(now, true));
    });
    if (is_done && is_target) load(now, true);
    return is_done;
}

bool Workspace::change_documents(const std::vector<std::string>& documents,
                                 const std::function<void(const Library&)>& change) {
    return !has_unsaved(documents) && change_library([&] { change(*library()); });
}

bool Workspace::set_words(const Choice& choice, bool is_character, const ItemWords& words) {
    return change_library([&] {
        const std::string text = nb::set_words(entry_of(choice), is_character, words);
        const std::string document = choice.document.toStdString();
        drafts_.wrote(document, text, choice.name.toStdString());
        open_.edit_all([&](Opened& open) {
            if (!open.body) return;
            const LoadedFile& file = open.body->file;
            if (file.character_document.path != document && file.take_document.path != document) return;
            auto loaded = copy_for_change(open.body);
            if (file.character_document.path == document) {
                loaded->file.character.document_text = text;
                loaded->file.character_document.text = text;
            } else {
                loaded->file.take_document.text = text;
            }
            open.body = loaded;
            drafts_.change_file(open.key, file_of(open.body));
        });
    });
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
        const LibraryEntry entry = rename_take(*library(), entry_of(choice), name.toStdString(), moved);
        std::vector<std::string> troubles;
        renamed = Catalogue::choice_of(entry, false, troubles);
        catalogue_.replace(key_of(choice, false), false, renamed);
        follow_moves(moved.moved);
    });
}

bool Workspace::lay_aside(const Choice& choice, bool is_character, Trashed& trashed) {
    const DocumentKey key = key_of(choice, is_character);
    const int index = is_character ? target_index() : take_index();
    const auto& list = catalogue_.list(is_character);
    const bool is_in_use = index >= 0 && key_of(list[size_t(index)], is_character) == key;
    const bool is_done = change_library([&] {
        trashed = nb::lay_aside(*library(), entry_of(choice), is_character);
        // What is unsaved of it lies there, too, and is saved there.
        follow_moves(trashed.moved);
    });
    // What took its place in the list comes onto the stage.
    if (is_done && is_in_use && !list.empty()) choose(std::min(index, int(list.size()) - 1), is_character);
    return is_done;
}

bool Workspace::put_back(const Trashed& trashed) {
    return change_library([&] {
        nb::put_back(*library(), trashed);
        std::vector<std::pair<std::string, std::string>> back;
        for (const auto& [from, to] : trashed.moved) back.emplace_back(to, from);
        follow_moves(back);
    });
}

std::vector<Catalogue::Kin> Workspace::kin_of(bool of_target) const {
    const LoadedPtr loaded = body(of_target);
    return loaded ? catalogue_.kin_of(loaded->file.character.rig) : std::vector<Catalogue::Kin>();
}

}  // namespace nb
