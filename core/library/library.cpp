#include "core/library/library.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>

#include "core/io/contact_documents.hpp"
#include "core/io/file_error.hpp"
#include "core/io/scene.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

bool is_skeleton_file(const fs::path& path) {
    const auto ending = path.extension();
    return ending == ".bvh" || ending == ".glb" || ending == ".gltf" || ending == ".vrm" ||
           is_scene_ending(ending.string());
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
    for (const fs::path& file : sorted_entries(root / "plans")) {
        if (file.extension() != ".json") continue;
        try {
            load_body_plan(file.string());
        } catch (const FileError& error) {
            library.troubles.emplace_back(error.what());
        }
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
        if (is_rig_of_document(read, rig_path)) {
            read_intake(read, document, options);
            if (given.is_by_hand) options = given;
        }
    }
    LoadedFile loaded = load_file(rig_path, options);
    if (!document.empty())
        apply_character_document(read, document, loaded.character, loaded.take ? &*loaded.take : nullptr,
                                 notes);
    return loaded;
}

LoadedFile load_take(const std::string& path, const std::string& character_document,
                     std::vector<std::string>& notes, int animation, const LoadOptions* by_hand) {
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
    if (is_document) {
        read_intake(document.other, path, given);
        // The document's trim counts the file's frames, its last one not included.
        given.trim_first = std::max(0, document.trim_first);
        given.trim_last = document.trim_last > document.trim_first && document.trim_last < document.frames
                              ? document.trim_last
                              : 0;
    }
    if (by_hand) {
        given = *by_hand;
        given.animation = animation;
        given.is_by_hand = true;
    }
    if (!by_hand && document.unit_m > 0) given.unit_m = document.unit_m;
    if (!by_hand && !document.up.empty()) given.up = document.up;
    if (!by_hand && !document.facing.empty()) given.facing = document.facing;
    LoadedFile loaded = load_character(motion, character, notes, given);
    for (StagePiece piece : document.pieces) {
        piece.path = (fs::path(path).parent_path() / piece.path).lexically_normal().string();
        if (!fs::exists(piece.path))
            notes.push_back(fmt::format("{}: {} is not there, and is not shown", path, piece.path));
        else
            loaded.pieces.push_back(std::move(piece));
    }
    if (!loaded.take) throw FileError(motion, "holds no motion", "give a take");
    // The document's own word on frame 0 holds while the take has its frames as the file has them.
    const LoadOptions& in_force = loaded.character.rig.options;
    if (is_document && in_force.trim_first == 0 && !in_force.fps)
        loaded.take->first_motion_frame = std::clamp(document.first_motion_frame, 0, loaded.take->frames - 1);
    if (is_document) loaded.take->id = document.id;
    if (is_document) loaded.take->contacts = read_contacts(document.other, path, loaded);
    return loaded;
}

std::string limbering_take() {
    std::vector<fs::path> places;
    if (const char* share = std::getenv("NB_SHARE")) places.emplace_back(share);
    std::error_code error;
    const fs::path program = fs::read_symlink("/proc/self/exe", error);
    if (!error) places.push_back(program.parent_path() / ".." / "share" / "nimble-bone");
    places.emplace_back(NB_SHARE_DIR);
    for (const fs::path& place : places)
        if (const fs::path take = place / "takes" / "limbering.bvh"; fs::exists(take, error))
            return take.string();
    throw FileError("limbering.bvh", "the shipped take is not found",
                    "set NB_SHARE to the folder that has takes/");
}

std::string limbering_document() {
    const std::string take = limbering_take();
    const fs::path document = fs::path(take).replace_extension(".take.json");
    return fs::exists(document) ? document.string() : take;
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
