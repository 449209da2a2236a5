#include "core/library/changes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/character.hpp"
#include "core/documents/hand_pose.hpp"
#include "core/documents/take.hpp"
#include "core/intake/along.hpp"
#include "core/library/folder_work.hpp"
#include "core/library/moves.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

/// A take's motion file, and the documents that share its name.
std::vector<fs::path> files_of_take(const LibraryEntry& take) {
    std::vector<fs::path> result{take.path};
    for (const auto* ending : {".take.json", ".labels.json", ".character.json", ".take.character.json"}) {
        fs::path document(take.path);
        document.replace_extension(ending);
        std::error_code error;
        if (fs::exists(document, error)) result.push_back(document);
    }
    return result;
}

}  // namespace

Library create_library(const std::string& folder, const std::string& name) {
    std::error_code error;
    if (fs::exists(folder, error) && !(fs::is_directory(folder, error) && fs::is_empty(folder, error)))
        throw FileError(folder, "is not empty", "choose an empty folder or a new name");
    for (const auto* part : {"characters", "takes", "pairings"}) make_folder(fs::path(folder) / part);
    Json document;
    document["format"] = "nimble-bone/library";
    document["version"] = 1;
    document["id"] = make_uuid();
    document["name"] = name;
    write_file((fs::path(folder) / "library.json").string(), format_document(document));
    return open_library(folder);
}

LibraryEntry add_character(const Library& library, const std::string& rig_path, const std::string& document,
                           const std::string& name, const std::string& id) {
    need_folder(library);
    std::vector<std::string> notes;
    LoadedFile loaded = load_character(rig_path, document, notes);
    if (document.empty()) loaded.character.id = id.empty() ? make_uuid() : id;
    return add_character(library, loaded, name);
}

LibraryEntry add_character(const Library& library, const LoadedFile& file, const std::string& name) {
    need_folder(library);
    const std::string& rig_path = file.character.rig.path;
    const FolderLock lock(library.folder);
    const fs::path characters = fs::path(library.folder) / "characters";
    make_folder(characters);
    // Made under a name that nobody reads; it gets its own when it is whole.
    const fs::path unfinished = characters / (unfinished_prefix + make_uuid());
    Undone undone(unfinished);
    make_folder(unfinished);
    const std::string rig = "rig" + fs::path(rig_path).extension().string();
    write_file((unfinished / rig).string(), read_file(rig_path));
    copy_beside(rig_path, unfinished);
    std::string why;
    const bool has_document = can_be_transferred(file.character.roles, why);
    if (has_document) {
        Character character = file.character;
        character.name = name;
        character.rig.path = rig;
        if (character.id.empty()) character.id = make_uuid();
        write_file((unfinished / "character.json").string(), format_document(character_document(character)));
    }
    const std::string wanted = folder_name(name);
    for (int n = 1;; ++n) {
        const fs::path folder = characters / (n == 1 ? wanted : fmt::format("{}-{}", wanted, n));
        if (!move_to_free(unfinished.string(), folder.string())) continue;
        undone.keep();
        return {folder.filename().string(), (folder / rig).string(),
                has_document ? (folder / "character.json").string() : std::string()};
    }
}

LibraryEntry add_take(const Library& library, const std::string& path, const std::string& character,
                      const std::string& name) {
    need_folder(library);
    std::vector<std::string> notes;
    LoadedFile loaded = load_character(path, character, notes);
    if (!loaded.take) throw FileError(path, "holds no motion", "give a take");
    return add_take(library, loaded, character, false, name);
}

LibraryEntry add_take(const Library& library, const LoadedFile& file, const std::string& character,
                      bool has_own_body, const std::string& name) {
    need_folder(library);
    const std::string& motion = file.character.rig.path;
    const FolderLock lock(library.folder);
    const fs::path takes = fs::path(library.folder) / "takes";
    make_folder(takes);
    const std::string ending = fs::path(motion).extension().string();
    const std::string begun = (takes / (unfinished_prefix + make_uuid())).string();
    Undone undone_motion(begun + ending);
    Undone undone_document(begun + ".take.json");
    Undone undone_body(begun + ".character.json");
    write_file(begun + ending, read_file(motion));
    copy_beside(motion, takes);

    // A document of its own: what it was taken from goes on with its own.
    LoadedFile own = file;
    // What goes along is seen from the folder of the motion, which is another one now.
    const auto from_here = [&](std::string& thing) {
        if (thing.empty()) return;
        thing = fs::absolute(path_along(motion, thing))
                    .lexically_normal()
                    .lexically_proximate(fs::absolute(takes).lexically_normal())
                    .string();
    };
    for (TakePart& part : own.character.rig.options.along) from_here(part.file);
    from_here(own.character.rig.options.sound.file);
    for (StageThing& thing : own.character.rig.options.things) from_here(thing.file);
    const std::string from_folder = fs::path(file.take_document.path).parent_path().string();
    Json document = changed_take_document(own, file.take_document.path);
    TakeDocument take = read_take_document(document, file.take_document.path);
    take.id = make_uuid();
    take.character_id = take.character_path = "";
    if (!character.empty()) {
        take.character_id = file.character.id;
        take.character_path = fs::path(character).lexically_relative(takes).string();
    }
    for (const auto* list : {"props", "set"})
        if (take.other.contains(list))
            for (Json& thing : take.other[list])
                if (thing.contains("file"))
                    thing["file"] = fs::path(fs::path(from_folder) / text_in(thing, "file", list))
                                        .lexically_normal()
                                        .lexically_relative(takes)
                                        .string();
    const std::string wanted = folder_name(name);
    for (int n = 1;; ++n) {
        const std::string stem = n == 1 ? wanted : fmt::format("{}-{}", wanted, n);
        const std::string to = (takes / stem).string();
        std::error_code error;
        if (fs::exists(to + ending, error) || fs::exists(to + ".take.json", error)) continue;
        take.file = stem + ending;
        Moves moves{{begun + ".take.json", to + ".take.json"}, {begun + ending, to + ending}};
        if (has_own_body) {
            Character body = own.character;
            body.rig.path = stem + ending;
            take.character_id = body.id;
            take.character_path = stem + ".character.json";
            write_file(begun + ".character.json", format_document(character_document(body)));
            moves.insert(moves.begin(), {begun + ".character.json", to + ".character.json"});
        }
        write_file(begun + ".take.json", format_document(take_document(take)));
        JournalledMoves moved(library, moves);
        moved.done();
        return {stem, to + ending, to + ".take.json"};
    }
}

void keep_hand_pose(const Library& library, const HandPose& pose) {
    need_folder(library);
    const FolderLock lock(library.folder);
    const fs::path hands = fs::path(library.folder) / "hands";
    make_folder(hands);
    const std::string path = (hands / (folder_name(pose.name) + ".json")).string();
    if (!write_new_file(path, format_document(hand_pose_document(pose, make_uuid()))))
        throw FileError(path, "is there already", "give the hand another name");
}

std::string rename_character(const LibraryEntry& character, const std::string& name) {
    if (character.document.empty())
        throw FileError(character.path, "has no character.json to hold a name", "give its roles first");
    const FolderLock lock(fs::path(character.document).parent_path().string());
    Json document = read_document(character.document, "character");
    document["name"] = name;
    std::string text = format_document(document);
    write_file(character.document, text);
    return text;
}

namespace {

Json document_of(const LibraryEntry& entry, bool is_character) {
    if (entry.document.empty())
        throw FileError(entry.path, "has no document to hold tags and notes",
                        is_character ? "give its roles first" : "save it once, with a trim or contacts");
    return read_document(entry.document, is_character ? "character" : "take");
}

}  // namespace

ItemWords words_of(const LibraryEntry& entry, bool is_character) {
    const Json document = document_of(entry, is_character);
    return {texts_or_none(document, "tags", entry.document), text_in(document, "notes", "", entry.document),
            text_in(document, "terms", "", entry.document)};
}

std::string body_of_take(const Library& library, const LibraryEntry& take) {
    if (take.document.empty()) return {};
    try {
        const Json document = read_document(take.document, "take");
        const Json& character = object_or_none(document, "character", take.document);
        const fs::path path =
            fs::path(take.document).parent_path() / text_in(character, "path", "", take.document);
        const fs::path folder = path.lexically_normal().parent_path();
        return folder.parent_path().lexically_normal() ==
                       (fs::path(library.folder) / "characters").lexically_normal()
                   ? folder.filename().string()
                   : std::string();
    } catch (const FileError&) {  // told where it is opened
        return {};
    }
}

std::string set_words(const LibraryEntry& entry, bool is_character, const ItemWords& words) {
    const FolderLock lock(
        fs::path(entry.document.empty() ? entry.path : entry.document).parent_path().string());
    Json document = document_of(entry, is_character);
    document.erase("tags");
    if (!words.tags.empty()) document["tags"] = words.tags;
    for (const auto& [key, said] : {std::pair("notes", &words.notes), std::pair("terms", &words.terms)}) {
        if (said->empty())
            document.erase(key);
        else
            document[key] = *said;
    }
    std::string text = format_document(document);
    write_file(entry.document, text);
    return text;
}

LibraryEntry rename_take(const Library& library, const LibraryEntry& take, const std::string& name,
                         Trashed& moved) {
    need_folder(library);
    const FolderLock lock(library.folder);
    const fs::path folder = fs::path(take.path).parent_path();
    const std::string ending = fs::path(take.path).extension().string();
    const std::string old_stem = fs::path(take.path).stem().string();
    const std::string stem = folder_name(name);
    moved.moved.clear();
    LibraryEntry renamed{stem, (folder / (stem + ending)).string(), ""};
    if (renamed.path == take.path) return take;
    // The motion first: who has moved it has the take.
    Moves moves;
    for (const fs::path& file : files_of_take(take)) {
        const std::string rest = file.filename().string().substr(old_stem.size());
        moves.emplace_back(file.string(), (folder / (stem + rest)).string());
        if (rest == ".take.json") renamed.document = moves.back().second;
    }
    std::error_code error;
    if (renamed.document.empty() && fs::exists(folder / (stem + ".take.json"), error))
        throw FileError((folder / (stem + ".take.json")).string(), "is there already", "choose another name");
    JournalledMoves journalled(library, moves);
    if (!renamed.document.empty()) {
        Json document = read_document(renamed.document, "take");
        document["file"] = stem + ending;
        if (document.contains("character") && document["character"].is_object())
            for (const auto* rest : {".character.json", ".take.character.json"})
                if (document["character"].value("path", "") == old_stem + rest)
                    document["character"]["path"] = stem + rest;
        write_file(renamed.document, format_document(document));
    }
    journalled.done();
    moved.moved = moves;
    return renamed;
}

Trashed lay_aside(const Library& library, const LibraryEntry& entry, bool is_character) {
    need_folder(library);
    const FolderLock lock(library.folder);
    const fs::path trash = fs::path(library.folder) / ".trash";
    make_folder(trash);
    Moves moves;
    if (is_character) {
        const fs::path folder = fs::path(entry.path).parent_path();
        moves.emplace_back(folder.string(), (trash / free_name(trash, folder.filename().string())).string());
    } else {
        const fs::path take(entry.path);
        const std::string name = free_name(trash, take.stem().string());
        make_folder(trash / name);
        for (const fs::path& file : files_of_take(entry))
            moves.emplace_back(file.string(), (trash / name / file.filename()).string());
    }
    JournalledMoves moved(library, moves);
    moved.done();
    return {moves};
}

void put_back(const Library& library, const Trashed& trashed) {
    need_folder(library);
    const FolderLock lock(library.folder);
    Moves moves;
    for (const auto& [from, to] : trashed.moved) moves.emplace_back(to, from);
    JournalledMoves moved(library, moves);
    moved.done();
    // The folder a take lay in is empty now.
    std::error_code error;
    for (const auto& [from, to] : trashed.moved) {
        const fs::path folder = fs::path(to).parent_path();
        if (folder.filename() != ".trash" && fs::is_empty(folder, error)) fs::remove(folder, error);
    }
}

Trashed lay_leftovers_aside(const Library& library) {
    need_folder(library);
    const FolderLock lock(library.folder);
    const fs::path trash = fs::path(library.folder) / ".trash";
    make_folder(trash);
    Moves moves;
    for (const Library::Leftover& leftover : library.leftovers) {
        const std::string name = fs::path(leftover.path).filename().string();
        moves.emplace_back(leftover.path, (trash / free_name(trash, "leftover-" + name)).string());
    }
    JournalledMoves moved(library, moves);
    moved.done();
    return {moves};
}

}  // namespace nb
