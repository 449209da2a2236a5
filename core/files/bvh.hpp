// BVH, the hierarchy-and-motion text format of the trade: reading and writing, exact and fast.
//
// A joint's local rotation is the product of its rotation channels in the order they are listed,
// R = R_first * R_second * R_third (degrees in the file); its rest orientation is the identity. Position
// channels replace the axes of OFFSET that they name. Any order and subset of channels a joint.
#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "core/files/skeleton_file.hpp"

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

/// The same in parts, for takes that are too long to stand in memory as text.
class BvhWriter {
  public:
    /// `file`: skeleton and channels; of its take the number of frames, the times and the translated joints.
    /// `is_turned`: joints that turn in any frame, one entry a joint.
    BvhWriter(const SkeletonFile& file, const std::vector<char>& is_turned);
    const std::string& header() const { return header_; }
    /// The lines of the next frames; angles go on from those before.
    void append_frames(std::string& text, const Take& part);

  private:
    std::string header_;
    std::vector<int> order_, slots_;
    std::vector<std::vector<Channel>> channels_;
    std::vector<Vec3> previous_;
};
/// Marks joints that turn in these frames.
void mark_turned(const Take& part, std::vector<char>& is_turned);

}  // namespace nb
