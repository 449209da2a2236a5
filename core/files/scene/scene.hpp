// Other scene formats (.fbx, .dae, .md5mesh ...), read only, through Assimp.
#pragma once
#include <string>

#include "core/files/skeleton_file.hpp"

namespace nb {

/// True for an ending (lower case, with its point) that this reader takes.
bool is_scene_ending(const std::string& ending);

/// Skeleton: nodes that are bones of a mesh or animated, and what stands above them; helper nodes that the
/// library would put between are collapsed. One animation, counted from 0, is sampled at its smallest key
/// distance. The unit is taken from the file's metadata where it has any. Throws FileError, also when there
/// is no skeleton.
SkeletonFile read_scene(const std::string& path, int animation = 0);

}  // namespace nb
