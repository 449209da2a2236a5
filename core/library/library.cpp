#include "core/library/library.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "core/io/file_error.hpp"
#include "core/io/scene.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

bool is_skeleton_file(const fs::path& path) {
    const auto ending = path.extension();
    return ending == ".bvh" || ending == ".glb" || ending == ".gltf" || is_scene_ending(ending.string());
}

std::vector<fs::path> sorted_entries(const fs::path& folder) {
    std::vector<fs::path> paths;
    std::error_code error;
    for (auto it = fs::directory_iterator(folder, error); !error && it != fs::directory_iterator();
         it.increment(error))
        paths.push_back(it->path());
    std::sort(paths.begin(), paths.end());
    return paths;
}

std::string if_exists(const fs::path& path) {
    std::error_code error;
    return fs::exists(path, error) ? path.string() : std::string();
}

}  // namespace

Library open_library(const std::string& folder) {
    Library library;
    library.folder = folder;
    const fs::path root(folder);
    const Json document = read_document((root / "library.json").string(), "library");
    library.id = document.value("id", "");
    library.name = document.value("name", "");
    for (const fs::path& entry : sorted_entries(root / "characters")) {
        for (const fs::path& file : sorted_entries(entry)) {
            if (file.stem() != "rig" || !is_skeleton_file(file)) continue;
            library.characters.push_back(
                {entry.filename().string(), file.string(), if_exists(entry / "character.json")});
            break;
        }
    }
    for (const fs::path& file : sorted_entries(root / "takes")) {
        if (!is_skeleton_file(file)) continue;
        fs::path document_path = file;
        document_path.replace_extension(".take.json");
        library.takes.push_back({file.stem().string(), file.string(), if_exists(document_path)});
    }
    return library;
}

LoadedFile load_character(const std::string& rig_path, const std::string& document,
                          std::vector<std::string>& notes, const LoadOptions& given) {
    LoadOptions options = given;
    Json read;
    if (!document.empty()) {
        read = read_document(document, "character");
        // What the document says of unit and axes stands above what the file suggests.
        if (const auto at = read.find("conventions");
            at != read.end() && at->is_object() && is_rig_of_document(read, rig_path)) {
            if (at->contains("unit_m") && (*at)["unit_m"].is_number()) {
                options.unit_m = (*at)["unit_m"].get<double>();
                if (!(*options.unit_m > 1e-9 && *options.unit_m < 1e6))
                    throw FileError(document, "'unit_m' is no length",
                                    "write the metres of one unit, for example 0.01");
            }
            if (at->contains("up") && (*at)["up"].is_string()) options.up = (*at)["up"].get<std::string>();
            if (at->contains("facing") && (*at)["facing"].is_string())
                options.facing = (*at)["facing"].get<std::string>();
        }
    }
    LoadedFile loaded = load_file(rig_path, options);
    if (!document.empty())
        apply_character_document(read, document, loaded.character, loaded.take ? &*loaded.take : nullptr,
                                 notes);
    return loaded;
}

LoadedFile load_take(const std::string& path, const std::string& character_document,
                     std::vector<std::string>& notes, int animation) {
    const bool is_document = path.ends_with(".take.json");
    TakeDocument document;
    std::string motion = path;
    std::string character = character_document;
    if (is_document) {
        document = read_take_document(read_document(path, "take"), path);
        const fs::path folder = fs::path(path).parent_path();
        motion = (folder / document.file).string();
        if (character.empty() && !document.character_path.empty())
            character = if_exists(folder / document.character_path);
    }
    LoadOptions given;
    given.animation = animation;
    if (document.unit_m > 0) given.unit_m = document.unit_m;
    if (!document.up.empty()) given.up = document.up;
    if (!document.facing.empty()) given.facing = document.facing;
    LoadedFile loaded = load_character(motion, character, notes, given);
    for (StagePiece piece : document.pieces) {
        piece.path = (fs::path(path).parent_path() / piece.path).lexically_normal().string();
        if (!fs::exists(piece.path))
            notes.push_back(fmt::format("{}: {} is not there, and is not shown", path, piece.path));
        else
            loaded.pieces.push_back(std::move(piece));
    }
    if (!loaded.take) throw FileError(motion, "holds no motion", "give a take");
    if (is_document) {
        loaded.take->first_motion_frame = std::clamp(document.first_motion_frame, 0, loaded.take->frames - 1);
        if (document.trim_last > document.trim_first &&
            (document.trim_first > 0 || document.trim_last < loaded.take->frames)) {
            loaded.take = trim(*loaded.take, document.trim_first, document.trim_last);
            if (loaded.take->frames == 0)
                throw FileError(path, "the trim leaves no frames",
                                "set trim.first and trim.last inside the take");
        }
    }
    return loaded;
}

bool find_pairing(const Library& library, const std::string& source_id, const std::string& target_id,
                  Pairing& pairing, std::string& path) {
    for (const fs::path& file : sorted_entries(fs::path(library.folder) / "pairings")) {
        if (file.extension() != ".json") continue;
        Pairing candidate = read_pairing(read_document(file.string(), "pairing"), file.string());
        if (candidate.source_id != source_id || candidate.target_id != target_id) continue;
        pairing = std::move(candidate);
        path = file.string();
        return true;
    }
    return false;
}

std::string pairing_path(const Library& library, const Pairing& pairing) {
    const fs::path folder = fs::path(library.folder) / "pairings";
    std::error_code error;
    fs::create_directories(folder, error);
    return (folder / (pairing.id + ".json")).string();
}

}  // namespace nb
