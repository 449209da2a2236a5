// A scene: several takes on several targets, on one clock and one floor (core/scene). NAME.scene.json, in the library's folder
// scenes/ or anywhere.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/documents/format.hpp"
#include "core/scene/touches.hpp"

namespace nb {

struct SceneDocument {
    static constexpr size_t most_casts = 4;

    struct CastEntry {
        std::string name;
        std::string
            take;  ///< a motion file or its document seen from the scene's folder, else a take of the library
        std::string body;    ///< of a file with several: a bone of its tree; empty: the likeliest
        std::string target;  ///< a rig seen from the scene's folder, else a character of the library
        double start_s = 0.0;
        Vec3 at_m = Vec3::Zero();  ///< over the floor
        double turn_deg = 0.0;
        bool operator==(const CastEntry&) const = default;
    };
    std::string id, name;
    std::vector<CastEntry> casts;
    SceneDistances distances;
    std::optional<std::vector<BodyTouch>> touches;  ///< by hand; none: as found
    Json other;                                     ///< as read, for keys this program does not know

    /// A cast of that name; -1 for none.
    int cast(const std::string& named) const;
    /// Equal in what this program knows of it.
    bool operator==(const SceneDocument& other) const;
};

/// Without that cast, and without the touches it has a part in; distances by it are the mean's.
void remove_cast(SceneDocument& scene, size_t cast);
/// So many places further on in the order (less: back), as far as there are.
void move_cast(SceneDocument& scene, size_t cast, int by);
/// What refers to it by its name goes along.
void rename_cast(SceneDocument& scene, size_t cast, const std::string& name);
/// A name that no cast has yet: `wanted`, or with a number behind it.
std::string free_cast_name(const SceneDocument& scene, const std::string& wanted);

Json scene_document(const SceneDocument& scene);
/// Throws FileError: no cast, more than `most_casts`, two of one name, a touch of a cast that is not there.
SceneDocument read_scene(const Json& document, const std::string& path);

}  // namespace nb
