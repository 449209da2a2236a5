// The way in as text: BVH over a connection.
//
//   SKELETON ferrier
//   HIERARCHY
//   ROOT hips
//   ...
//   MOTION
//   ferrier 0 0.000000 0 92.1 0 0 0 0 ...
//   ferrier 1 0.008333 0 92.1 0 0 0 0 ...
//   END ferrier
//
// A line of a frame: whose, its number, the sender's seconds, the values in the order of the header's channels. Any
// number of performers over one connection; a SKELETON anew begins anew. docs/live.md has it with examples.
#pragma once
#include "live/stream.hpp"

namespace nb {

/// What has come over one connection. Keeps at most a header's or a line's length.
class BvhWayIn {
  public:
    explicit BvhWayIn(StreamSink& sink) : sink_(sink) {}
    /// The next bytes, arrived at a time. False when the sender is to be cut off: what comes is no stream.
    bool take(std::string_view bytes, double arrived_s);
    /// The connection has ended.
    void end();
    /// A whole hierarchy has come over it.
    bool is_known() const { return !performers_.empty(); }
    /// Malformed lines so far.
    int malformed() const { return malformed_; }

  private:
    StreamSink& sink_;
    std::string rest_;
    std::string header_, named_;
    bool is_in_header_ = false;
    int malformed_ = 0;
    std::map<std::string, std::shared_ptr<const StreamSkeleton>, std::less<>> performers_;
    StreamFrame frame_;

    void line(std::string_view text, double arrived_s);
    void header_line(std::string_view text);
    void frame_line(const std::string& performer, std::string_view text, double arrived_s);
    void tell(const std::string& why);
};

/// The same out: what is to be sent.
std::string bvh_way_skeleton(const std::string& performer, const StreamSkeleton& skeleton);
void append_bvh_way_frame(std::string& text, const std::string& performer, const StreamFrame& frame);
std::string bvh_way_end(const std::string& performer);

}  // namespace nb
