// The line out: poses of a target sent on, as either way in has them (live/bvh_way.hpp, live/osc_way.hpp).
//
// In metres, +Y up; a bone's turn is counted from the rest, B = R_WJ R_WJ_rest^T, so that all zero axes are the world's.
// To this machine's loopback unless another address is asked for by name.
#pragma once
#include <memory>
#include <string>

#include "live/osc_way.hpp"
#include "live/receiver.hpp"

namespace nb {

struct OutSettings {
    enum class Way { bvh, osc };
    Way way = Way::osc;
    Address to{"127.0.0.1", 7400};
    std::string performer = "target";
    bool may_leave_machine = false;  ///< an address beyond loopback was asked for
};

/// A skeleton's hierarchy as streams have it.
std::shared_ptr<const StreamSkeleton> streamed_skeleton(const Skeleton& skeleton,
                                                        const std::vector<int>& moved,
                                                        const std::string& name);
/// Poses of it.
class PoseStream {
  public:
    /// `moved`: joints with places of their own, beside roots.
    PoseStream(const Skeleton& skeleton, const std::vector<int>& moved, const std::string& name);
    const std::shared_ptr<const StreamSkeleton>& skeleton() const { return streamed_; }
    /// The pose of all its joints as a frame; its line too when asked for.
    void write(const Pose& pose, long number, double s, bool has_line, StreamFrame& frame);

  private:
    Pose rest_;
    std::vector<int> parents_, place_;  ///< a joint of the stream: that of the skeleton
    std::shared_ptr<const StreamSkeleton> streamed_;
    LineWriter writer_;
    std::vector<Quat> B_;
};

/// A line to somebody: connected anew when it breaks, never waited for.
class Line {
  public:
    /// Throws FileError for an address beyond loopback that was not asked for.
    Line(OutSettings::Way way, const Address& to, bool may_leave_machine);
    ~Line();
    Line(const Line&) = delete;
    Line& operator=(const Line&) = delete;
    /// Whether a skeleton is to be sent before the next frame: a new connection, an ask, or two seconds.
    bool wants_skeleton(double now_s);
    /// False when nobody takes it.
    bool send(std::string_view bytes);
    void skeleton_sent(double now_s);
    bool is_open() const { return handle_ >= 0; }

  private:
    OutSettings::Way way_;
    Address to_;
    int handle_ = -1;
    double tried_s_ = -1e9, told_s_ = -1e9;
    bool is_connecting_ = false, is_asked_ = true;
    std::string waiting_;  ///< what a connection has not taken yet
    void connect(double now_s);
};

class LineOut {
  public:
    LineOut(const OutSettings& settings, const Skeleton& skeleton, const std::vector<int>& moved);
    /// False when nobody takes it.
    bool send(const Pose& pose, long number, double s);
    long sent() const { return sent_; }
    const OutSettings& settings() const { return settings_; }

  private:
    OutSettings settings_;
    PoseStream stream_;
    Line line_;
    StreamFrame frame_;
    std::string text_;
    long sent_ = 0;
};

}  // namespace nb
