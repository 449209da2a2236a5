// The way in as Open Sound Control 1.0 over UDP (opensoundcontrol.org, specification 1.0; messages by liblo).
//
//   /live/skeleton ,si          performer, how many bones
//   /live/joint    ,sissfffi    performer, index, bone, the bone above ("" for a root), offset x y z (m), 1: it moves
//   /live/tip      ,ssfff       performer, bone, where a bone without another one below ends, x y z (m)
//   /live/frame    ,sid         performer, number, the sender's seconds
//   /live/bone     ,ssfffffff   performer, bone, place x y z (m, seen from the bone above), turn x y z w
//   /live/ask                   the hierarchy, please
//   /live/end      ,s           performer
//
// Metres, +Y up; turns are counted from a zero in which all bones' axes are the world's, seen from the bone above. A
// bundle a frame: /live/frame, then its bones; a large one may go in several, each beginning with /live/frame. Numbers may
// be of any kind (i, h, f, d).
#pragma once
#include <functional>

#include "live/stream.hpp"

namespace nb {

/// Largest datagram that is sent, bytes; larger ones are taken as far as UDP goes.
inline constexpr size_t largest_datagram = 30000;

class OscWayIn {
  public:
    /// `ask` is called when the hierarchy of a performer is not known yet.
    OscWayIn(StreamSink& sink, std::function<void()> ask) : sink_(sink), ask_(std::move(ask)) {}
    /// A datagram, arrived at a time.
    void take(std::string_view datagram, double arrived_s);
    /// All its performers have gone.
    void end();

  private:
    struct Joint {
        std::string name, above;
        Vec3 offset_m = Vec3::Zero();
        bool moves = false, is_there = false;
    };
    struct Performer {
        size_t bones = 0;
        std::vector<Joint> joints;
        std::map<std::string, Vec3, std::less<>> tips;
        std::shared_ptr<const StreamSkeleton> skeleton;
        std::unique_ptr<LineWriter> writer;
        std::map<std::string, int, std::less<>> place_of;  ///< of a bone, in the skeleton
        std::vector<int> own_of;                           ///< of a bone: its place in `p`, -1: none
        bool is_open = false;                              ///< a frame has begun and has not all bones
        size_t got = 0;
        std::vector<char> has;
        StreamFrame frame;
    };
    StreamSink& sink_;
    std::function<void()> ask_;
    std::map<std::string, Performer, std::less<>> performers_;
    double arrived_s_ = 0.0, asked_s_ = -1e9;

    void packet(std::string_view bytes, int depth);
    void message(std::string_view bytes);
    void tell(const std::string& why);
    void build(const std::string& name, Performer& performer);
    void close(const std::string& name, Performer& performer);
};

/// Hierarchies as OSC has them: in metres, +Y up, bones that move told.
std::vector<std::string> osc_way_skeleton(const std::string& performer, const StreamSkeleton& skeleton);
/// A frame's datagrams. The skeleton is in metres.
std::vector<std::string> osc_way_frame(const std::string& performer, const StreamSkeleton& skeleton,
                                       const StreamFrame& frame);
std::string osc_way_end(const std::string& performer);
std::string osc_way_ask();

}  // namespace nb
