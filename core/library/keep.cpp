#include "core/library/keep.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "core/io/file_error.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr const char* writable = "choose a folder that can be written";

/// Letters, digits and dashes: safe on every file system.
std::string folder_name(const std::string& name) {
    std::string result;
    for (const char c : name) {
        if ((c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'))
            result += c;
        else if (c >= 'A' && c <= 'Z')
            result += char(c + 32);
        else if (!result.empty() && result.back() != '-')
            result += '-';
    }
    while (!result.empty() && result.back() == '-') result.pop_back();
    return result.empty() ? "unnamed" : result.substr(0, 80);
}

void make_folder(const fs::path& folder) {
    std::error_code error;
    fs::create_directories(folder, error);
    if (error) throw FileError(folder.string(), error.message(), writable);
}

void move_path(const fs::path& from, const fs::path& to) {
    std::error_code error;
    if (fs::exists(fs::symlink_status(to, error)))
        throw FileError(to.string(), "is there already", "choose another name");
    fs::rename(from, to, error);
    if (error) throw FileError(from.string(), error.message(), writable);
}

/// A library that has vanished is not made anew under somebody's feet.
void need_folder(const Library& library) {
    std::error_code error;
    if (!fs::exists(fs::path(library.folder) / "library.json", error))
        throw FileError(library.folder, "is not there any more",
                        "bring the folder back, or open another library");
}

/// A name in the folder that nothing has yet: "walk", "walk-2" ...
std::string free_name(const fs::path& folder, const std::string& wanted, const std::string& ending = "") {
    std::error_code error;
    for (int n = 1;; ++n) {
        std::string name = n == 1 ? wanted : fmt::format("{}-{}", wanted, n);
        if (!fs::exists(folder / (name + ending), error)) return name;
    }
}

/// Files beside a .gltf that it refers to by relative names.
std::vector<std::string> files_beside(const std::string& gltf_path) {
    std::vector<std::string> result;
    if (fs::path(gltf_path).extension() != ".gltf") return result;
    const Json document = Json::parse(read_file(gltf_path), nullptr, false);
    for (const auto* list : {"buffers", "images"}) {
        if (!document.is_object() || !document.contains(list)) continue;
        for (const Json& item : document[list]) {
            const std::string uri = item.is_object() ? item.value("uri", "") : "";
            const fs::path path(uri);
            const bool leads_out = std::find(path.begin(), path.end(), "..") != path.end();
            if (!uri.empty() && !uri.starts_with("data:") && path.is_relative() && !leads_out)
                result.push_back(uri);
        }
    }
    return result;
}

/// Removes a half-made folder or file when what makes it throws.
class Undone {
  public:
    explicit Undone(fs::path path) : path_(std::move(path)) {}
    ~Undone() {
        std::error_code error;
        if (!is_kept_) fs::remove_all(path_, error);
    }
    Undone(const Undone&) = delete;
    Undone& operator=(const Undone&) = delete;
    void keep() { is_kept_ = true; }

  private:
    fs::path path_;
    bool is_kept_ = false;
};

/// A take's motion file, and the documents that share its name.
std::vector<fs::path> files_of_take(const LibraryEntry& take) {
    std::vector<fs::path> result{take.path};
    for (const auto* ending : {".take.json", ".labels.json"}) {
        fs::path document(take.path);
        document.replace_extension(ending);
        std::error_code error;
        if (fs::exists(document, error)) result.push_back(document);
    }
    return result;
}

/// Moves all, or none.
Trashed move_all(const std::vector<std::pair<std::string, std::string>>& moves) {
    Trashed done;
    try {
        for (const auto& [from, to] : moves) {
            move_path(from, to);
            done.moved.emplace_back(from, to);
        }
    } catch (const FileError&) {
        std::error_code error;
        for (const auto& [from, to] : done.moved) fs::rename(to, from, error);
        throw;
    }
    return done;
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
    const fs::path characters = fs::path(library.folder) / "characters";
    make_folder(characters);
    const fs::path folder = characters / free_name(characters, folder_name(name));
    Undone undone(folder);
    make_folder(folder);
    const fs::path rig = folder / ("rig" + fs::path(rig_path).extension().string());
    write_file(rig.string(), read_file(rig_path));
    for (const std::string& beside : files_beside(rig_path)) {
        make_folder((folder / beside).parent_path());
        write_file((folder / beside).string(),
                   read_file((fs::path(rig_path).parent_path() / beside).string()));
    }
    LibraryEntry entry{folder.filename().string(), rig.string(), ""};
    std::string why;
    if (can_be_transferred(loaded.character.roles, why)) {
        Character& character = loaded.character;
        character.name = name;
        character.rig.path = rig.string();
        if (document.empty()) character.id = id.empty() ? make_uuid() : id;
        entry.document = (folder / "character.json").string();
        write_file(entry.document, format_document(character_document(character)));
    }
    undone.keep();
    return entry;
}

LibraryEntry add_take(const Library& library, const std::string& path, const std::string& character,
                      const std::string& name) {
    need_folder(library);
    std::vector<std::string> notes;
    const LoadedFile loaded = load_character(path, character, notes);
    if (!loaded.take) throw FileError(path, "holds no motion", "give a take");
    const fs::path takes = fs::path(library.folder) / "takes";
    make_folder(takes);
    const std::string ending = fs::path(path).extension().string();
    const std::string stem = free_name(takes, folder_name(name), ending);
    LibraryEntry entry{stem, (takes / (stem + ending)).string(), (takes / (stem + ".take.json")).string()};
    Undone undone(entry.path);
    write_file(entry.path, read_file(path));
    for (const std::string& beside : files_beside(path))
        write_file((takes / beside).string(), read_file((fs::path(path).parent_path() / beside).string()));
    TakeDocument document;
    document.id = make_uuid();
    document.file = stem + ending;
    if (!character.empty()) {
        document.character_id = loaded.character.id;
        document.character_path = fs::path(character).lexically_relative(takes).string();
    }
    document.frame_time_text = loaded.take->frame_time_text;
    document.frames = loaded.take->frames;
    document.first_motion_frame = loaded.take->first_motion_frame;
    document.trim_last = loaded.take->frames;
    write_file(entry.document, format_document(take_document(document)));
    undone.keep();
    return entry;
}

void rename_character(const LibraryEntry& character, const std::string& name) {
    if (character.document.empty())
        throw FileError(character.path, "has no character.json to hold a name", "give its roles first");
    Json document = read_document(character.document, "character");
    document["name"] = name;
    write_file(character.document, format_document(document));
}

LibraryEntry rename_take(const LibraryEntry& take, const std::string& name) {
    const fs::path folder = fs::path(take.path).parent_path();
    const std::string ending = fs::path(take.path).extension().string();
    const std::string stem = folder_name(name);
    LibraryEntry renamed{stem, (folder / (stem + ending)).string(), ""};
    if (renamed.path == take.path) return take;
    std::vector<std::pair<std::string, std::string>> moves;
    for (const fs::path& file : files_of_take(take)) {
        const std::string rest = file.filename().string().substr(fs::path(take.path).stem().string().size());
        moves.emplace_back(file.string(), (folder / (stem + rest)).string());
        if (rest == ".take.json") renamed.document = moves.back().second;
    }
    const Trashed done = move_all(moves);
    if (renamed.document.empty()) return renamed;
    try {
        Json document = read_document(renamed.document, "take");
        document["file"] = stem + ending;
        write_file(renamed.document, format_document(document));
    } catch (const FileError&) {
        put_back(done);
        throw;
    }
    return renamed;
}

Trashed lay_aside(const Library& library, const LibraryEntry& entry, bool is_character) {
    need_folder(library);
    const fs::path trash = fs::path(library.folder) / ".trash";
    make_folder(trash);
    std::vector<std::pair<std::string, std::string>> moves;
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
    return move_all(moves);
}

void put_back(const Trashed& trashed) {
    std::vector<std::pair<std::string, std::string>> moves;
    for (const auto& [from, to] : trashed.moved) moves.emplace_back(to, from);
    move_all(moves);
    // The folder a take lay in is empty now.
    std::error_code error;
    for (const auto& [from, to] : trashed.moved) {
        const fs::path folder = fs::path(to).parent_path();
        if (folder.filename() != ".trash" && fs::is_empty(folder, error)) fs::remove(folder, error);
    }
}

}  // namespace nb
