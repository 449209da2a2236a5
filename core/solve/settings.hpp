// What is set for one pairing of a source and a target character.
#pragma once
#include <array>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <string_view>

#include "core/body/chain_settings.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// Which passes of the solve run; all by name: core/solve/passes.hpp.
struct Passes {
    bool gather = true;
    bool root = true;
    bool angles = true;
    bool reach = true;
    bool contacts = true;
    bool touch = true;
    bool hold = true;
    bool clear = true;
    bool twist = true;
    bool operator==(const Passes&) const = default;
};

/// What stays in its place when distances over the floor are scaled.
struct MapCentre {
    enum class Kind {
        first_place,  ///< where the source's hips are over the floor in the take's first frame of motion
        origin,       ///< of the take's world; so in documents that do not say
        place         ///< one that was chosen
    };
    Kind kind = Kind::first_place;
    Vec3 at_m = Vec3::Zero();     ///< of `place`, on the floor
    Vec3 aside_m = Vec3::Zero();  ///< the scene's own (core/scene/apart.hpp), in no document
    bool operator==(const MapCentre&) const = default;
};

/// Where a bone of the target stands on the bone above it: at its own rest, moved by what the source's bone has moved since
/// its rest times the ratio of both, or as far from it as in the take.
enum class BonePosition { kept, scaled, taken };

std::string_view bone_position_name(BonePosition position);
std::optional<BonePosition> bone_position(std::string_view name);

/// What one bone does otherwise than the map says (core/solve/bone_rules.hpp).
struct BoneRule {
    std::string
        follows;  ///< name of a bone of the source that it turns with on the bone above; empty: as mapped
    BonePosition position = BonePosition::kept;
    bool is_usual() const { return *this == BoneRule(); }
    bool operator==(const BoneRule&) const = default;
};

struct PairingSettings {
    Passes passes;
    ChainTable chains;                                ///< for this pair, whatever the take
    std::map<std::string, ChainTable> takes;          ///< for one take on this target, by `Take::key`
    TouchLayers touches;                              ///< touch-ups of this pair
    std::map<std::string, TouchLayers> take_touches;  ///< of one take on this target, by `Take::key`
    std::optional<double> scale;  ///< k of the place map; else leg length of target by source
    MapCentre about;              ///< o of the place map
    /// Travel and heading go onto the target's root bone, the hips keep what is left; the motion is the same.
    bool has_root_track = false;
    std::map<std::string, BoneRule> bones;  ///< by role of the target, else by name of its bone
    std::set<std::string> lost;             ///< roles of the source whose motion is lost on purpose
    bool operator==(const PairingSettings&) const = default;
};

/// What each level says of a chain of the target, by `SettingLevel`.
using ChainLevels = std::array<ChainSettings, setting_levels.size()>;
ChainLevels levels_of(const std::string& chain, const Character& target, const PairingSettings& settings,
                      const std::string& take_key);
/// What is in force for every chain of the target's plan.
ChainTable chains_in_force(const Character& target, const PairingSettings& settings,
                           const std::string& take_key);
/// Touch-ups in force, in their order: of the body, of the pair, of the take on it.
TouchLayers touches_in_force(const Character& target, const PairingSettings& settings,
                             const std::string& take_key);

}  // namespace nb
