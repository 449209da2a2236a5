// A rig of any format as a new glTF file: nodes, skins, meshes, colours and pictures as they are in memory.
#pragma once
#include <vector>

#include "core/files/gltf/glb_parts.hpp"

namespace nb {

/// Metres, +Y up; node j is joint j. Up to eight weights a vertex in two sets, each mesh with a skin of its own whose
/// inverse binds are its joints' `attach`. A rig without mesh gets one skin over all joints, so that they are read as
/// bones.
GlbParts rig_as_glb(const Rig& rig);

}  // namespace nb
