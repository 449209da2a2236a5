// What both ways in have in common: performers, their hierarchies, their frames.
//
// A hierarchy is as a BVH has it (core/files/bvh.hpp): offsets, and rotations counted from a zero in which all bones'
// axes are the world's. Sizes are bounded before anything is kept; nothing of what comes is ever a path or a command.
#pragma once
#include <map>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/files/bvh.hpp"

namespace nb {

/// Beyond these a packet is malformed.
inline constexpr size_t most_performers = 16, most_bones = 1024, longest_name = 64;
inline constexpr size_t longest_header = 512u << 10, longest_line = 128u << 10;
inline constexpr long largest_number = 2000000000;
inline constexpr double largest_s = 1e9, largest_length = 1e7, largest_angle_deg = 1e6;

/// A performer's name is one word: printable, without blanks, not a word of the streams itself.
bool is_performer_name(std::string_view name);
/// The nearest name that is one.
std::string as_performer_name(std::string_view name);

struct StreamSkeleton {
    SkeletonFile
        file;  ///< as sent: own unit and axes; its take has no frames, but says which joints have places
    std::string header;  ///< as BVH text, up to and without MOTION
    size_t values = 0;   ///< of a frame's line
};
/// From BVH text that ends before MOTION. Throws FileError: `name` says whose.
std::shared_ptr<const StreamSkeleton> stream_skeleton(std::string_view header, const std::string& name);
/// The same from bones, offsets and channels (`file.take`: which joints have places).
std::shared_ptr<const StreamSkeleton> stream_skeleton(const SkeletonFile& file, const std::string& name);
/// Whether frames of one are frames of the other.
bool are_alike(const StreamSkeleton& a, const StreamSkeleton& b);

struct StreamFrame {
    long number = 0;
    double sent_s = 0.0;     ///< on the sender's clock
    double arrived_s = 0.0;  ///< on this program's
    std::vector<Quat> R;     ///< R_PJ, a joint
    std::vector<Vec3> p;     ///< p_PJ of joints with places, file units
    std::string line;        ///< the same as a line of a BVH, without its end
};
/// The values of a line, into `frame.R` and `.p`. False, with why, where they are not as many as the skeleton's, or no
/// finite numbers within bounds.
bool read_values(std::string_view line, const StreamSkeleton& skeleton, StreamFrame& frame, std::string& why);
/// Lines of frames from their R and p, by the writer of BVH files: angles go on from frame to frame.
class LineWriter {
  public:
    explicit LineWriter(const StreamSkeleton& skeleton);
    void write(const StreamFrame& frame, std::string& line);

  private:
    BvhWriter writer_;
    Take one_;
};

/// Who is told what comes. All on the thread of the receiver.
class StreamSink {
  public:
    virtual ~StreamSink() = default;
    /// A performer is there, or has another hierarchy than before.
    virtual void skeleton(const std::string& performer, std::shared_ptr<const StreamSkeleton> skeleton) = 0;
    virtual void frame(const std::string& performer, StreamFrame& frame) = 0;
    /// Its sender says it ends, or has gone.
    virtual void stopped(const std::string& performer) = 0;
    /// Something that is no part of a stream: counted and told, never followed.
    virtual void malformed(const std::string& why) = 0;
};

}  // namespace nb
