// What is handed over as a file: by the ending of its path.
//
//   .glb    glTF 2.0: the rig's own file with one more animation, or the rig as it is in memory; keys reduced on request
//   .bvh    bones re-framed to world axes at rest, a key a frame
//   .vrma   VRM animation, extension VRMC_vrm_animation 1.0: the bones of its humanoid in their aligned rest (a T) and
//           what they turn by; places of the hips alone
//   .fbx    as text, and .dae (COLLADA), through Assimp's exporters: a key a frame
//   .csv    RFC 4180: frame, time_s, joint, x_m, y_m, z_m, qx, qy, qz, qw of every joint in the world
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/handover/handed.hpp"
#include "core/handover/keys.hpp"

namespace nb {

/// Endings with what they are called, in the order they are offered.
struct FileFormat {
    const char* ending;
    const char* name;
};
const std::vector<FileFormat>& file_formats();
bool is_file_format(const std::string& ending);

/// What of a body stays behind in a format, a sentence each.
std::vector<std::string> lost_in(const std::string& ending, const Character& character);
/// Why a body cannot be written in a format; empty: it can.
std::string why_not_in(const std::string& ending, const Character& character);

struct WriteOptions {
    std::optional<KeyTolerance> reduce;  ///< fewest keys within it (.glb, .vrma)
    bool is_motion_alone = false;        ///< no mesh (.glb)
    /// A .glb of the same body, written with the same options: what it holds stays, the motion is one animation more.
    std::string added_to;
};

/// What was written.
struct Written {
    size_t keys_before = 0, keys = 0;       ///< with a key a frame; as written
    size_t channels = 0, curved = 0;        ///< of turns and of places; those with curved keys
    KeyError error;                         ///< by leaving keys out
    std::vector<std::string> without_keys;  ///< bones that never move
    std::vector<std::string> notes;
};

/// Whole or not at all, over what is there. Throws FileError.
Written write_handed(const std::string& path, const Handed& handed, const WriteOptions& options,
                     const Watch& watch = {});

/// The file read back by this program's reader, against what was shown: over all joints and frames it has in common.
struct Proof {
    double place_m = 0.0, turn_rad = 0.0;
    std::string place_joint, turn_joint;
    int place_frame = -1, turn_frame = -1;
    int joints = 0, frames = 0;        ///< compared
    std::vector<std::string> missing;  ///< joints that are not in the file
};
/// Places of .bvh and .csv, and turns where the format has them. Throws FileError for what cannot be read back.
Proof prove(const std::string& path, const Handed& handed);

/// Beyond this a file is not handed over; what a reduction may err by comes on top.
inline constexpr double proof_limit_m = 1e-4;

}  // namespace nb
