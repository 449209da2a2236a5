// glTF 2.0 (ISO/IEC 12113): skeletons and animations read.
#pragma once
#include <string>

#include "core/files/skeleton_file.hpp"

namespace nb {

/// In the extras of a node, `true`: a thing beside the body that goes through the take.
inline constexpr const char* prop_mark = "prop";

/// Nodes that are joints of a skin or above one; without skins, those animated, above and below such nodes;
/// without either, all nodes.
/// Static scale is taken into the offsets. One animation, counted from 0, is sampled at its smallest key
/// distance, as the specification's LINEAR, STEP and CUBICSPLINE say. Throws FileError, also when there is no
/// such animation but another.
SkeletonFile read_gltf(const std::string& path, int animation = 0);

}  // namespace nb
