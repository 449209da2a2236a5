// A stream that is listened to, recorded, put in order, carried onto a target, shown, and sent on.
//
// On the receiver's thread: what comes is recorded first, then put in order, and what is due is solved, the newest first. The
// thread that shows takes what is newest when it draws, and never waits for more than a copy.
#pragma once
#include <mutex>
#include <optional>

#include "core/intake/load.hpp"
#include "live/line_out.hpp"
#include "live/live_solve.hpp"
#include "live/receiver.hpp"
#include "live/recording.hpp"
#include "live/states.hpp"

namespace nb {

/// Times of the last some thousand frames, for what share of them are under a time.
class Latencies {
  public:
    void add(double s);
    double share_s(double share) const;  ///< 0.99: the time that 99 % are under

  private:
    static constexpr size_t kept = 4096;
    std::vector<float> ring_;
    size_t seen_ = 0;
};

class LiveSession {
  public:
    struct Setup {
        Address address;
        std::string performer;  ///< empty: the first that comes
        double buffer_s = 0.05;
        std::string record;  ///< a stem, as in Recording: recorded from the first frame on; empty: when asked
        /// Whose roles and rest the stream has where its bones are the same; null: as found in the stream.
        std::shared_ptr<const Character> expected;
    };
    /// Throws FileError when it cannot listen there.
    explicit LiveSession(Setup setup);
    ~LiveSession();
    LiveSession(const LiveSession&) = delete;
    LiveSession& operator=(const LiveSession&) = delete;

    /// From the next frame on. Null: nothing is carried.
    void set_target(std::shared_ptr<const Character> target, const PairingSettings& settings);
    void set_performer(const std::string& performer);
    void set_buffer(double length_s);
    /// The stream's own body, whatever was expected.
    void take_own_body();
    /// As in Setup; the stream's own body is no longer taken.
    void set_expected(std::shared_ptr<const Character> expected);
    /// The stream as a file of one frame, once its body is known; null before.
    std::shared_ptr<const LoadedFile> as_loaded() const;
    /// To an address; none: nothing goes out.
    void set_line_out(std::optional<OutSettings> out);

    /// `stem` as in Recording. Throws FileError.
    void record(const std::string& stem);
    void mark(const std::string& word);
    /// Its stem; empty when nothing was recorded.
    std::string stop_recording();

    struct Shown {
        LiveTold told;
        LiveFacts facts;
        std::shared_ptr<const Character> source;  ///< the stream's body; null until it is known
        std::string trouble;  ///< why nothing is carried, or no more recorded, or sent; empty: nothing
        bool has_pose = false;
        PlaceMap map;
        long posed = 0;  ///< how many were shown so far
        double t_s = 0.0, arrived_s = 0.0;
        double ready_p50_s = 0.0, ready_p99_s = 0.0;  ///< due (or arrived, if later) to pose
        double solve_p50_s = 0.0;
        long came = 0, recorded = 0;
        bool is_recording = false;
        long sent_out = 0;
        std::vector<JitterBuffer::Arrival> arrivals;  ///< of the last seconds
        double now_s = 0.0;
    };
    /// `source` and `target`: room for the poses; may be null.
    Shown shown(Pose* source = nullptr, Pose* target = nullptr) const;

  private:
    class Sink;
    mutable std::mutex mutex_;
    Setup setup_;
    std::shared_ptr<const Character> target_;
    PairingSettings settings_;
    bool is_changed_ = false;  ///< source, target or settings: the plan is to be made anew

    struct Performer {
        std::shared_ptr<const StreamSkeleton> skeleton;
        bool is_there = true;
    };
    std::map<std::string, Performer> performers_;
    std::string followed_;
    bool has_stopped_ = false, has_come_ = false, takes_own_ = false;
    double last_s_ = 0.0;
    JitterBuffer buffer_;
    std::shared_ptr<const LoadedFile> source_;  ///< as loaded of hierarchy and first frame
    std::shared_ptr<const Character> source_character_;
    std::vector<std::string> missing_, more_;
    bool fits_ = true;
    std::vector<int> stream_of_;  ///< a joint of the source: its bone in the stream
    std::vector<int> own_of_;     ///< a translated joint: its place in the stream's p
    /// A stream's turns count from the zero in which axes are the world's: R_PJ = R_WP_rest^T b R_WJ_rest.
    std::vector<Quat> above_R_, rest_R_;
    Take now_;  ///< one frame: the one that comes, on the source
    std::unique_ptr<LiveSolve> solve_;
    std::vector<Quat> held_R_, last_R_;  ///< local turns that were held, to be led from; the newest
    std::vector<Vec3> held_p_, last_p_;
    double led_from_s_ = 0.0;
    std::unique_ptr<Recording> recording_;
    std::optional<OutSettings> out_settings_;
    std::unique_ptr<LineOut> out_;        ///< once there is something to send
    std::string trouble_, tape_trouble_;  ///< why nothing is carried; why nothing is recorded any more
    Pose shown_source_, shown_target_;
    std::map<long, double> arrived_of_;
    long posed_ = 0, came_ = 0;
    double shown_t_s_ = 0.0, shown_arrived_s_ = 0.0;
    Latencies ready_, solving_;
    double look_from_s_ = 0.0;  ///< before then no look whether limbs lie in the body
    std::unique_ptr<Sink> sink_;
    std::unique_ptr<Receiver> receiver_;  ///< last: its thread uses all above

    void on_skeleton(const std::string& performer, std::shared_ptr<const StreamSkeleton> skeleton);
    void on_frame(const std::string& performer, StreamFrame& frame);
    void on_stopped(const std::string& performer);
    double on_turn(double now_s);
    void choose_followed();
    void make_source(const StreamSkeleton& skeleton, const StreamFrame& frame);
    void make_solve();
    void forget_source();
    LiveFacts facts() const;
};

}  // namespace nb
