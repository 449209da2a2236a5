// COLLADA (.dae) and .fbx through a library of many hands (Assimp's exporters): whether they hold what was shown is for
// the proof to say.
#pragma once
#include <string>

#include "core/motion/take.hpp"
#include "core/rig/rig.hpp"

namespace nb {

/// Writes `path` by its ending: skeleton, skins, colours, one animation with a key a frame. Metres, +Y up; the unit is
/// said in the file. Throws FileError.
void write_scene(const std::string& path, const Rig& rig, const Take& take, bool has_mesh);

}  // namespace nb
