// BVH, the hierarchy-and-motion text format of the trade: reading and writing, exact and fast.
//
// A joint's local rotation is the product of its rotation channels in the order they are listed,
// R = R_first * R_second * R_third (degrees in the file); its rest orientation is the identity. Position
// channels replace the axes of OFFSET that they name. Any order and subset of channels a joint.
#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "core/io/skeleton_file.hpp"

namespace nb {

/// Largest depth of the hierarchy that is read.
inline constexpr int bvh_max_depth = 512;

/// Throws FileError with line and column. `path` is used in messages only.
SkeletonFile parse_bvh(std::string_view text, const std::string& path);
SkeletonFile read_bvh(const std::string& path);

/// Names as a BVH can hold them: without braces and control characters, not empty, each once. A reader takes
/// the rest of the line up to a brace for the name.
std::vector<std::string> bvh_names(const std::vector<std::string>& names);
/// Angles are continuous over frames (`to_euler_nearest`), with 6 decimals. A joint whose channels are
/// fewer than three rotations gets the missing ones after its own when the take turns it.
std::string format_bvh(const SkeletonFile& file);

}  // namespace nb
