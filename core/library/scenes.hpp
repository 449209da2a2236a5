// Scenes with what they cast: documents, takes and targets read into bodies that can be carried.
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/documents/scene.hpp"
#include "core/handover/handed.hpp"
#include "core/library/library.hpp"
#include "core/scene/review.hpp"
#include "core/scene/solve.hpp"

namespace nb {

/// A scene as it is open.
struct OpenScene {
    SceneDocument document;
    std::string path;
    std::vector<std::shared_ptr<const LoadedFile>> takes, targets;  ///< a cast each
    std::vector<Cast> casts;
    std::vector<std::string> notes;
};

/// The library of the folder above a scene's own, when it is one.
std::optional<Library> library_above(const std::string& scene_path);
/// Where a cast's take and target are.
struct CastFiles {
    LibraryEntry take, target;
};
/// `library`: in which takes and characters are sought by name; may be null. Throws FileError for what is not there.
CastFiles cast_files(const SceneDocument::CastEntry& cast, const std::string& scene_path,
                     const Library* library);

/// The document alone, nothing cast yet. Throws FileError.
OpenScene read_scene_file(const std::string& path);
/// Reads a scene and all it casts. `library`: as for `load_casts`. Throws FileError.
OpenScene open_scene(const std::string& path, const Library* library = nullptr);
/// Reads what the document's casts name, anew. `library`: in which takes and characters are sought by name; null: that of the
/// folder above the scene's own, when it is one.
void load_casts(OpenScene& scene, const Library* library = nullptr);
/// Carries it by the touches that its document says, else those found.
SceneResult carry_scene(const OpenScene& scene, int threads = 0, const Progress& progress = {});
/// Puts takes where the document has them, after a cast was moved.
void place_casts(OpenScene& scene);

/// What a cast's file is called, without its ending. Throws FileError for a name that none can have.
std::string cast_file_name(const OpenScene& scene, size_t cast);
/// A cast on its way out; with what goes through its take and was not told by an earlier cast of the same file.
Handed handed_cast(const OpenScene& scene, const SceneResult& result, size_t cast);
/// Where each cast is written in a folder: `CAST.glb`. Throws FileError for a name that none can have.
std::vector<std::string> scene_files(const OpenScene& scene, const std::string& folder);
/// Writes all casts; returns what is told of it. Throws FileError.
std::vector<std::string> write_scene(const OpenScene& scene, const SceneResult& result,
                                     const std::string& folder, const Progress& progress = {});
/// Whether a stage piece of a cast is there with another one, too: of one file, at one place and time; the ground of all.
bool is_shown_with(const OpenScene& scene, size_t with, size_t cast, const StagePiece& piece);
/// Whether a stage piece of a cast was there with an earlier one.
bool is_shown_before(const OpenScene& scene, size_t cast, const StagePiece& piece);

/// The review of a scene: touches, depths between bodies, and each cast's own.
Json scene_review_document(const OpenScene& scene, const SceneResult& result);

}  // namespace nb
