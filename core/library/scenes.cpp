#include "core/library/scenes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <optional>

#include "core/base/files.hpp"
#include "core/documents/take.hpp"
#include "core/handover/name_pattern.hpp"
#include "core/handover/write.hpp"
#include "core/library/beside.hpp"
#include "core/library/hand_over.hpp"
#include "core/review/bars.hpp"

namespace nb {

namespace {

namespace fs = std::filesystem;

/// The first of a library's entries of that name.
const LibraryEntry* entry_of(const std::vector<LibraryEntry>& entries, const std::string& name) {
    const auto found = std::find_if(entries.begin(), entries.end(),
                                    [&](const LibraryEntry& entry) { return entry.name == name; });
    return found == entries.end() ? nullptr : &*found;
}

FileError not_there(const std::string& scene_path, const std::string& cast, const char* what,
                    const std::string& named, const char* to_do) {
    return {scene_path, fmt::format("the cast '{}' has the {} '{}', which is not there", cast, what, named),
            to_do};
}

}  // namespace

CastFiles cast_files(const SceneDocument::CastEntry& cast, const std::string& scene_path,
                     const Library* library) {
    CastFiles files;
    const fs::path folder = fs::path(scene_path).parent_path();
    if (const fs::path beside = folder / cast.take; fs::is_regular_file(beside)) {
        files.take.path = beside.lexically_normal().string();
        if (files.take.path.ends_with(".take.json")) {
            files.take.document = files.take.path;
            const TakeDocument take =
                read_take_document(read_document(files.take.document, "take"), files.take.document);
            files.take.path =
                (fs::path(files.take.document).parent_path() / take.file).lexically_normal().string();
        } else {
            files.take.document = take_document_beside(files.take.path, 0);
        }
    } else if (const LibraryEntry* entry = library ? entry_of(library->takes, cast.take) : nullptr) {
        files.take = *entry;
    } else {
        throw not_there(scene_path, cast.name, "take", cast.take,
                        "name a take of the library, or a motion file");
    }
    if (const fs::path beside = folder / cast.target; fs::is_regular_file(beside)) {
        files.target.path = beside.lexically_normal().string();
        files.target.document = character_document_beside(files.target.path);
    } else if (const LibraryEntry* entry = library ? entry_of(library->characters, cast.target) : nullptr) {
        files.target = *entry;
    } else {
        throw not_there(scene_path, cast.name, "target", cast.target,
                        "name a character of the library, or a rig");
    }
    return files;
}

std::optional<Library> library_above(const std::string& scene_path) {
    const fs::path above = fs::absolute(scene_path).parent_path().parent_path();
    std::error_code error;
    if (!fs::is_regular_file(above / "library.json", error)) return {};
    return open_library(above.string());
}

OpenScene read_scene_file(const std::string& path) {
    OpenScene scene;
    scene.path = path;
    scene.document = read_scene(read_document(path, "scene"), path);
    return scene;
}

OpenScene open_scene(const std::string& path, const Library* library) {
    OpenScene scene = read_scene_file(path);
    load_casts(scene, library);
    return scene;
}

SceneResult carry_scene(const OpenScene& scene, int threads, const Progress& progress) {
    const auto& touches = scene.document.touches;
    return solve_scene(scene.casts, scene.document.distances, touches ? &*touches : nullptr, threads,
                       progress);
}

void load_casts(OpenScene& scene, const Library* library) {
    const std::optional<Library> own = library ? std::nullopt : library_above(scene.path);
    if (own) library = &*own;
    scene.takes.clear();
    scene.targets.clear();
    scene.notes.clear();
    scene.casts.clear();
    for (const SceneDocument::CastEntry& entry : scene.document.casts) {
        const CastFiles files = cast_files(entry, scene.path, library);
        const auto take = std::make_shared<LoadedFile>(
            load_take(files.take.document.empty() ? files.take.path : files.take.document, "", scene.notes, 0,
                      nullptr, entry.body));
        const auto target = std::make_shared<LoadedFile>(
            load_character(files.target.path, files.target.document, scene.notes));
        Cast cast;
        cast.name = entry.name;
        cast.source = {take, &take->character};
        cast.target = {target, &target->character};
        Pairing pairing;
        ReadDocument read;
        if (find_pairing(library, target->character.rig.path, take->character.id, target->character.id,
                         pairing, read, scene.notes))
            cast.settings = pairing.settings;
        scene.takes.push_back(take);
        scene.targets.push_back(target);
        scene.casts.push_back(std::move(cast));
    }
    place_casts(scene);
}

void place_casts(OpenScene& scene) {
    for (size_t i = 0; i < scene.casts.size(); ++i) {
        const SceneDocument::CastEntry& entry = scene.document.casts[i];
        Cast& cast = scene.casts[i];
        cast.name = entry.name;
        cast.start_s = entry.start_s;
        cast.take = std::make_shared<const Take>(placed_take(
            scene.takes[i]->character.rig.skeleton, *scene.takes[i]->take, entry.turn_deg, entry.at_m));
    }
}

bool is_shown_with(const OpenScene& scene, size_t with, size_t cast, const StagePiece& piece) {
    const SceneDocument::CastEntry &A = scene.document.casts[with], &B = scene.document.casts[cast];
    const bool share_a_set = A.at_m == B.at_m && A.turn_deg == B.turn_deg && A.start_s == B.start_s &&
                             scene.takes[with]->character.rig.path == scene.takes[cast]->character.rig.path;
    const std::vector<StagePiece>& pieces = scene.takes[with]->pieces;
    return std::any_of(pieces.begin(), pieces.end(), [&](const StagePiece& other) {
        return other.path == piece.path && other.joint == piece.joint && (piece.is_ground || share_a_set);
    });
}

bool is_shown_before(const OpenScene& scene, size_t cast, const StagePiece& piece) {
    for (size_t i = 0; i < cast; ++i)
        if (is_shown_with(scene, i, cast, piece)) return true;
    return false;
}

std::string cast_file_name(const OpenScene& scene, size_t cast) {
    const std::string& name = scene.document.casts[cast].name;
    std::string file = file_stem(name);
    if (const std::string why = why_illegal(file); !why.empty())
        throw FileError(scene.path, fmt::format("nothing can be written as '{}': {}", name, why),
                        "give the cast another name");
    return file;
}

std::vector<std::string> scene_files(const OpenScene& scene, const std::string& folder) {
    std::vector<std::string> files;
    for (size_t i = 0; i < scene.casts.size(); ++i)
        files.push_back((fs::path(folder) / (cast_file_name(scene, i) + ".glb")).string());
    return files;
}

std::vector<std::string> write_scene(const OpenScene& scene, const SceneResult& result,
                                     const std::string& folder, const Progress& progress) {
    const std::vector<std::string> files = scene_files(scene, folder);
    std::error_code error;
    fs::create_directories(folder, error);
    if (error) throw FileError(folder, "the folder cannot be made", "choose another");
    std::vector<std::string> notes;
    for (size_t i = 0; i < files.size(); ++i) {
        if (progress && !progress(int(i), int(files.size()))) throw std::runtime_error("cancelled");
        const Written written = write_handed(files[i], handed_cast(scene, result, i), {});
        notes.insert(notes.end(), written.notes.begin(), written.notes.end());
    }
    return notes;
}

Handed handed_cast(const OpenScene& scene, const SceneResult& result, size_t cast) {
    LoadedFile take;
    take.character.rig.skeleton = scene.takes[cast]->character.rig.skeleton;
    for (const StagePiece& piece : scene.takes[cast]->pieces)
        if (!is_shown_before(scene, cast, piece)) take.pieces.push_back(piece);
    const std::vector<PropTrack> props = prop_tracks(take, result.results[cast]);
    Handed handed = handed_of(scene.targets[cast]->character, result.results[cast]);
    handed.name = scene.document.casts[cast].name;
    handed.starts_at_s = scene.casts[cast].start_s;
    add_props(handed, props);
    return handed;
}

namespace {

Json rounded(double value, double to) {
    return canonical(std::round(value / to) * to);
}

}  // namespace

Json scene_review_document(const OpenScene& scene, const SceneResult& result) {
    const SceneReview review = review_scene(scene.casts, result);
    const auto name = [&](size_t cast) { return scene.document.casts[cast].name; };
    Json document = document_header("scene-review", scene.document.id);
    document["scene"] = scene.document.name;
    document["scale"] = canonical(result.k);
    document["rounds"] = result.rounds;
    document["moved_mm"] = rounded(1e3 * result.moved_m, 1e-3);
    document["touches_kept"] = rounded(review.kept_share(), 1e-4);
    document["touches"] = Json::array();
    for (const TouchKept& kept : review.touches) {
        const BodyTouch& touch = result.touches[kept.touch];
        document["touches"].push_back({{"cast", name(touch.cast)},
                                       {"point", touch.point},
                                       {"with", name(touch.other)},
                                       {"on", touch.on},
                                       {"first", touch.first},
                                       {"last", touch.last},
                                       {"looks", kept.looks},
                                       {"kept", kept.kept},
                                       {"largest_gap_mm", rounded(kept.largest_gap_mm, 0.1)},
                                       {"deepest_mm", rounded(std::max(0.0, kept.largest_sunk_mm), 0.1)}});
    }
    document["between"] = Json::array();
    for (const PairDepth& pair : review.pairs)
        document["between"].push_back({{"of", name(pair.a)},
                                       {"and", name(pair.b)},
                                       {"deepest_mm", rounded(pair.deepest_mm, 0.1)},
                                       {"at_s", rounded(pair.deepest_at_s, 1e-3)},
                                       {"deep_share", rounded(pair.share(), 1e-4)}});
    document["casts"] = Json::array();
    for (size_t i = 0; i < scene.casts.size(); ++i) {
        const Review own = review_result(*scene.casts[i].source, *scene.casts[i].target, result.results[i]);
        Json cast{{"name", name(i)}, {"target", scene.document.casts[i].target}};
        if (!result.steps.empty()) cast["steps_longer_by"] = rounded(result.steps[i], 1e-4);
        cast["bars"] = Json::array();
        for (const Bar& bar : bars_of(own, result.results[i], result.settings[i]))
            cast["bars"].push_back({{"name", bar.name},
                                    {"value", canonical(bar.value)},
                                    {"bar", canonical(bar.bar)},
                                    {"met", bar.is_met()}});
        document["casts"].push_back(cast);
    }
    document["notes"] = result.notes;
    return document;
}

}  // namespace nb
