// The humanoid mapping of VRM 1.0, the glTF extension VRMC_vrm: which node is which bone of a human body.
#pragma once
#include <string>

#include "core/rest/character.hpp"

namespace nb {

/// What the extension asks besides the bones.
struct VrmMeta {
    std::string name;
    std::string author = "unknown";
    std::string license_url = "https://vrm.dev/licenses/1.0/";
};

/// Writes `path` (.glb or .vrm) as a copy of the rig's own glTF file with the extension; an older mapping is
/// replaced, everything else is untouched. Throws FileError when the rig is no glTF file or a bone the
/// extension requires has no role.
void write_vrm(const std::string& path, const Character& character, const VrmMeta& meta);

/// The rig's own glTF file with its joints called by their ISO/IEC 19774-1 names; joints without one keep
/// theirs. For rigs of other formats a skeleton alone, as .glb or .bvh.
void write_with_iso_names(const std::string& path, const Character& character);

}  // namespace nb
