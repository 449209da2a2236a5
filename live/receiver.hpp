// Listens for streams: text over connections (live/bvh_way.hpp), Open Sound Control over datagrams (live/osc_way.hpp), both
// on one port, on a thread of its own.
//
// Loopback unless another address is asked for. What a sender can make this program keep is bounded: connections, senders
// of datagrams, a header, a line; one that says nothing sensible within `patience_s` makes room for the next. Each is read
// a share at a time, so that a flood over one does not hold up another. A performer is whose sender told of it first, until
// that has been silent or gone.
#pragma once
#include <atomic>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <thread>

#include "live/bvh_way.hpp"
#include "live/osc_way.hpp"

namespace nb {

/// Seconds of this program's clock: steady, from its start.
double live_now_s();

struct Address {
    std::string host = "127.0.0.1";
    int port = 7300;
    std::string text() const { return host + ":" + std::to_string(port); }
    bool is_loopback() const;
    bool operator==(const Address&) const = default;
};
/// "7300", "127.0.0.1:7300", "localhost:7300". Throws FileError for what is none; hosts are numbers of IPv4.
Address address_of(const std::string& text);

class Receiver {
  public:
    /// `sink` is called on the receiver's thread; so is `turn`, after what has come was told and when `next_s` says so: it
    /// gives the time at which it wants to be called again.
    /// Throws FileError when the port is taken or the address is none of this machine.
    Receiver(const Address& address, StreamSink& sink, std::function<double(double now_s)> turn);
    ~Receiver();
    Receiver(const Receiver&) = delete;
    Receiver& operator=(const Receiver&) = delete;

    const Address& address() const { return address_; }
    struct Counts {
        int connections = 0;  ///< open now
        int senders = 0;      ///< of datagrams, within the last seconds
        long malformed = 0, refused = 0;
        std::string last_malformed;
    };
    Counts counts() const;
    /// Called on the receiver's thread soon.
    void wake();

    static constexpr int most_connections = 8, most_senders = 8;
    static constexpr double patience_s = 5.0, silent_s = 3.0;

  private:
    /// What one sender tells, under the names that are its own.
    class Owned : public StreamSink {
      public:
        Owned(Receiver& receiver, int id) : receiver_(receiver), id_(id) {}
        void skeleton(const std::string& performer, std::shared_ptr<const StreamSkeleton> skeleton) override;
        void frame(const std::string& performer, StreamFrame& frame) override;
        void stopped(const std::string& performer) override;
        void malformed(const std::string& why) override;
        bool is_good() const { return is_good_; }

      private:
        Receiver& receiver_;
        int id_;
        bool is_good_ = false;  ///< frames have come
        bool is_own(const std::string& performer) const;
    };
    struct Connection {
        int handle = -1;
        double since_s = 0.0, heard_s = 0.0;
        std::unique_ptr<Owned> sink;
        std::unique_ptr<BvhWayIn> way;
    };
    struct Sender {
        double heard_s = 0.0;
        std::unique_ptr<Owned> sink;
        std::unique_ptr<OscWayIn> way;
        unsigned port = 0;  ///< where the last one came from
    };
    struct Owner {
        int id = 0;
        double heard_s = 0.0;
    };

    Address address_;
    StreamSink& sink_;
    std::function<double(double)> turn_;
    int listener_ = -1, datagrams_ = -1, wake_[2] = {-1, -1};
    std::map<int, Connection> connections_;    ///< by id
    std::map<std::uint32_t, Sender> senders_;  ///< by IPv4 address
    std::map<std::string, Owner> owners_;
    int next_id_ = 1;
    std::atomic<bool> is_ending_ = false;
    mutable std::mutex mutex_;
    Counts counts_;
    std::thread thread_;

    void run();
    void accept_one();
    bool read(Connection& connection);
    void read_datagrams();
    void drop(int id);
    void drop_silent(double now_s);
    void tell_malformed(const std::string& why);
    void close_all();
};

}  // namespace nb
