#include "core/library/library.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <unordered_set>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/documents/character.hpp"
#include "core/documents/contacts.hpp"
#include "core/documents/hand_pose.hpp"
#include "core/documents/intake.hpp"
#include "core/documents/roles.hpp"
#include "core/documents/take.hpp"
#include "core/files/scene/scene.hpp"
#include "core/intake/set_pieces.hpp"
#include "core/intake/things.hpp"
#include "core/library/beside.hpp"
#include "core/library/moves.hpp"
#include "core/surface/surface.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

bool is_skeleton_file(const fs::path& path) {
    const auto ending = path.extension();
    // A stream as it came (live/recording.hpp); the take made of it stands beside it.
    if (path.filename().string().ends_with(".live.bvh")) return false;
    return ending == ".bvh" || ending == ".glb" || ending == ".gltf" || ending == ".vrm" ||
           is_scene_ending(ending.string());
}

/// Made by add_character and add_take before an entry has its name.
bool is_unfinished(const fs::path& path) {
    return path.filename().string().starts_with(unfinished_prefix);
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
    const std::string file = (root / "library.json").string();
    const Json document = read_document(file, "library");
    library.id = text_in(document, "id", "", file);
    library.name = text_in(document, "name", "", file);
    library.opens_take = text_in(object_or_none(document, "opens_with", file), "take", "", file);
    library.opens_character = text_in(object_or_none(document, "opens_with", file), "character", "", file);
    // While another program changes the folder, what looks half done may be being done.
    const FolderLock lock(folder, FolderLock::Wait::no);
    if (lock.is_held()) take_up_moves(library);
    for (const char* part : {"characters", "takes", "pairings"}) sweep_parts((root / part).string());
    for (const fs::path& entry : sorted_entries((root / "characters").string())) {
        if (is_unfinished(entry)) {
            library.leftovers.push_back({entry.string(), "was not taken in to its end"});
            continue;
        }
        for (const fs::path& rig : sorted_entries(entry.string())) {
            if (rig.stem() != "rig" || !is_skeleton_file(rig)) continue;
            library.characters.push_back(
                {entry.filename().string(), rig.string(), if_exists(entry / "character.json")});
            break;
        }
    }
    const std::vector<fs::path> in_takes = sorted_entries((root / "takes").string());
    std::unordered_set<std::string> motions;
    for (const fs::path& take : in_takes)
        if (is_skeleton_file(take)) motions.insert(take.stem().string());
    // "walk.take.json" and "walk.2.take.json" are of walk.bvh.
    const auto has_motion = [&](const std::string& stem) {
        if (motions.contains(stem)) return true;
        for (size_t dot = stem.find('.'); dot != std::string::npos; dot = stem.find('.', dot + 1))
            if (motions.contains(stem.substr(0, dot))) return true;
        return false;
    };
    for (const fs::path& take : in_takes) {
        if (is_unfinished(take)) {
            library.leftovers.push_back({take.string(), "was not taken in to its end"});
        } else if (is_skeleton_file(take)) {
            fs::path document_path = take;
            document_path.replace_extension(".take.json");
            library.takes.push_back({take.stem().string(), take.string(), if_exists(document_path)});
        } else if (const std::string name = take.filename().string(); name.ends_with(".take.json")) {
            if (!has_motion(name.substr(0, name.size() - 10)))
                library.leftovers.push_back({take.string(), "its motion file is not there any more"});
        }
    }
    for (const fs::path& scene : sorted_entries((root / "scenes").string())) {
        constexpr std::string_view ending = ".scene.json";
        if (const std::string name = scene.filename().string(); name.ends_with(ending))
            library.scenes.push_back({name.substr(0, name.size() - ending.size()), scene.string(), {}});
    }
    if (!lock.is_held()) library.leftovers.clear();
    const auto each_of = [&](const char* of, const auto& read) {
        for (const fs::path& entry : sorted_entries((root / of).string())) {
            if (entry.extension() != ".json" || is_unfinished(entry)) continue;
            try {
                read(entry.string());
            } catch (const std::exception& error) {
                library.troubles.emplace_back(error.what());
            }
        }
    };
    each_of("plans", [](const std::string& plan) { load_body_plan(plan); });
    each_of("hands", [&](const std::string& hand) { library.hands.push_back(read_hand_pose(hand)); });
    return library;
}

namespace {

/// Of a take without a mesh: how thick the body is that its document names. Null when that names no other rig.
std::shared_ptr<const LaterSurface> skin_of_own_rig(const Json& read, const std::string& document,
                                                    const std::string& path) {
    const Json& rig = object_or_none(read, "rig", document);
    if (!rig.contains("path")) return nullptr;
    const std::string own = if_exists(fs::path(document).parent_path() / text_in(rig, "path", document));
    if (own.empty() || own == path) return nullptr;
    return std::make_shared<const LaterSurface>([own, document] {
        try {
            std::vector<std::string> none;
            const LoadedFile body = load_character(own, document, none);
            return body.character.rig.meshes.empty() ? BodySurface() : surface_of(body.character);
        } catch (const std::exception&) {
            return BodySurface();  // what is wrong with it is told where that rig itself is opened
        }
    });
}

}  // namespace

LoadedFile load_character(const std::string& rig_path, const std::string& document,
                          std::vector<std::string>& notes, const LoadOptions& given) {
    return load_character(rig_path,
                          ReadDocument{document, document.empty() ? std::string() : read_file(document)},
                          notes, given);
}

LoadedFile load_character(const std::string& rig_path, const ReadDocument& of,
                          std::vector<std::string>& notes, const LoadOptions& given) {
    LoadOptions options = given;
    Json read;
    const std::string& document = of.path;
    if (!document.empty()) {
        read = parse_document(of.text, document, "character");
        // What the document says of unit and axes stands above what the file suggests.
        if (is_rig_of_document(read, rig_path)) {
            const Json& conventions = object_or_none(read, "conventions", document);
            if (conventions.contains("unit_m"))
                options.unit_m = number_in(conventions, "unit_m", 1e-9, 1e6, document);
            if (conventions.contains("up")) options.up = text_in(conventions, "up", document);
            if (conventions.contains("facing")) options.facing = text_in(conventions, "facing", document);
            read_intake(read, document, options);
            if (given.is_by_hand) options = given;
        }
    }
    LoadedFile loaded = load_file(rig_path, options);
    if (!document.empty())
        apply_character_document(read, document, loaded.character, loaded.take ? &*loaded.take : nullptr,
                                 notes);
    carry_things(loaded, options.is_by_hand);  // by the hands as they are now
    loaded.character_document = of;
    if (loaded.character.rig.meshes.empty() && !document.empty())
        loaded.character.skin = skin_of_own_rig(read, document, rig_path);
    return loaded;
}

LoadedFile load_take(const std::string& given_path, const std::string& character_document,
                     std::vector<std::string>& notes, int animation, const LoadOptions* by_hand,
                     const std::string& tree) {
    const bool is_document = given_path.ends_with(".take.json");
    const std::string own = is_document && !tree.empty() ? take_document_of_body(given_path, tree) : "";
    const bool has_own = !own.empty() && !if_exists(own).empty();
    const std::string& path = has_own ? own : given_path;
    TakeDocument document;
    std::string text;
    std::string motion = path;
    std::string character = character_document;
    if (is_document) {
        text = read_file(path);
        document = read_take_document(parse_document(text, path, "take"), path);
        if (document.animation > 0) animation = document.animation - 1;
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
    if (!tree.empty()) given.tree = tree;
    if (!by_hand && document.unit_m > 0) given.unit_m = document.unit_m;
    if (!by_hand && !document.up.empty()) given.up = document.up;
    if (!by_hand && !document.facing.empty()) given.facing = document.facing;
    LoadedFile loaded = load_character(motion, character, notes, given);
    for (const std::string& away : loaded.character.rig.facts.away)
        notes.push_back(fmt::format("{}: {}", path, away));
    for (StagePiece piece : document.pieces) {
        piece.path = (fs::path(path).parent_path() / piece.path).lexically_normal().string();
        if (!fs::exists(piece.path))
            notes.push_back(fmt::format("{}: {} is not there, and is not shown", path, piece.path));
        else
            loaded.pieces.push_back(std::move(piece));
    }
    read_set(loaded);
    if (!loaded.take) throw FileError(motion, "holds no motion", "give a take");
    // The document's own word on frame 0 holds while the take has its frames as the file has them.
    const LoadOptions& in_force = loaded.character.rig.options;
    if (is_document && in_force.trim_first == 0 && !in_force.fps)
        loaded.take->first_motion_frame = std::clamp(document.first_motion_frame, 0, loaded.take->frames - 1);
    loaded.gaps = document.gaps;
    loaded.marks = document.marks;
    if (is_document) {
        loaded.take->id = document.id;
        set_contacts_in_file(loaded, read_contacts(document.other, path, loaded));
        loaded.take_document = {path, text};
        if (!own.empty() && !has_own) {
            // What is set for one of several bodies is its own.
            loaded.take->id = fmt::format("{} {}", document.id, tree);
            loaded.take_document = {own, {}};
            loaded.document_of_all = text;
        }
    }
    return loaded;
}

}  // namespace nb
