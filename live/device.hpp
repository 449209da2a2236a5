// A made-up capture device: plays takes as a stream, at true speed, and misbehaves when asked to.
//
// Each performer begins in the T of its body, is led to the take's first frame, and plays it over and over. What can be asked
// for: packets that are lost, late, sent twice or in the wrong order, a limb that is frozen, another skeleton, a wrong name,
// noise, a stop and a start anew.
#pragma once
#include <array>
#include <atomic>
#include <memory>
#include <mutex>
#include <optional>
#include <random>
#include <string>
#include <thread>
#include <vector>

#include "core/contact/sole.hpp"
#include "core/intake/load.hpp"
#include "core/motion/kinematics.hpp"
#include "live/line_out.hpp"

namespace nb {

struct DeviceFaults {
    double lost = 0.0, late = 0.0, twice = 0.0, swapped = 0.0;  ///< shares of the frames, 0..1
    double late_by_s = 0.08;
    std::string frozen;  ///< a limb: "arm.left"; empty: none
    bool has_other_skeleton = false, has_wrong_name = false;
    double noise_deg = 0.0;
    bool operator==(const DeviceFaults&) const = default;
};

struct DeviceSettings {
    OutSettings::Way way = OutSettings::Way::bvh;
    Address to{"127.0.0.1", 7300};
    bool may_leave_machine = false;
    double fps = 120.0;  ///< 1 to 1000
    double t_pose_s = 1.0;
    bool is_once = false;  ///< ends after the take
    unsigned seed = 1;
};

class Device {
  public:
    struct Performer {
        std::string name;
        std::shared_ptr<const LoadedFile> take;
    };
    /// Throws FileError for a file without motion or an address it may not send to.
    Device(const DeviceSettings& settings, std::vector<Performer> performers);
    ~Device();
    Device(const Device&) = delete;
    Device& operator=(const Device&) = delete;

    void set_faults(const DeviceFaults& faults);
    /// Says that it ends, and sends nothing.
    void stop();
    /// From the T again, numbers and clock anew.
    void start();
    bool has_ended() const { return has_ended_; }
    long sent() const { return sent_; }
    bool is_connected() const { return is_connected_; }

    /// The pose of a performer at a time since its start; of the take's whole skeleton.
    Pose pose_at_s(size_t performer, double t_s) const;

  private:
    struct Playing {
        Performer of;
        WorldMotion motion;
        double length_s = 0.0;
        Pose t_pose;
        std::unique_ptr<PoseStream> stream, other;
        std::vector<int> own;                                  ///< joints of the skeleton that `other` has
        std::array<std::vector<char>, limb_count> is_of_limb;  ///< by limb: joints that freeze with it
        Pose frozen;
        bool has_frozen = false;
        StreamFrame frame;
    };
    struct Waiting {
        double at_s = 0.0;
        std::vector<std::string> packets;
    };
    const DeviceSettings settings_;
    std::vector<Playing> playing_;
    Line line_;
    mutable std::mutex mutex_;
    DeviceFaults faults_;
    std::optional<DeviceFaults> told_faults_;  ///< with which hierarchies were sent; none: they were not
    std::atomic<bool> is_ending_ = false, is_playing_ = true, has_ended_ = false, is_connected_ = false;
    std::atomic<bool> is_stop_asked_ = false, is_start_asked_ = false;
    std::atomic<long> sent_ = 0;
    double began_s_ = 0.0;
    long number_ = 0;
    std::mt19937_64 random_;
    std::vector<Waiting> waiting_;
    std::vector<std::string> swapped_;
    std::thread thread_;

    void run();
    void send_skeletons(const DeviceFaults& faults);
    void send_frame(double now_s, const DeviceFaults& faults);
    std::vector<std::string> packets_of(size_t performer, double t_s, const DeviceFaults& faults);
    std::string name_of(size_t performer, const DeviceFaults& faults) const;
    void send(const std::vector<std::string>& packets);
    void say_end();
};

}  // namespace nb
