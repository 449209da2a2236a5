// COLLADA (.dae) and .fbx through a library of many hands (Assimp's exporters): whether they hold what was shown is for
// the proof to say.
#pragma once
#include <string>
#include <vector>

#include "core/motion/take.hpp"
#include "core/rig/rig.hpp"

namespace nb {

/// Writes `path` by its ending: skeleton, skins, colours, one animation with a key a frame. Metres, +Y up; the unit is
/// said in the file. Throws FileError.
void write_scene(const std::string& path, const Rig& rig, const Take& take, bool has_mesh);

/// Names as COLLADA holds them, where a node's name is its address: letters and digits of ASCII and '-', all else '_'
/// ('.' and '/' part an address; COLLADA 1.4.1, addressing syntax, and XML's names; from memory). No two are equal.
std::vector<std::string> dae_names(const std::vector<std::string>& names);

}  // namespace nb
