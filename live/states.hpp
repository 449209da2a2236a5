// How a stream stands, in one sentence, and what to do about it.
#pragma once
#include <string>
#include <vector>

#include "live/jitter_buffer.hpp"

namespace nb {

enum class LiveState {
    closed,  ///< nobody listens
    port_taken,
    waiting,  ///< nothing comes, or a connection is there and nothing comes over it
    other_performer,
    other_skeleton,
    comes,
    lossy,
    stale,
    stopped,
};

/// What is known of a stream at a time.
struct LiveFacts {
    std::string address;  ///< where is listened; empty: nowhere
    std::string refused;  ///< why it could not be listened; empty: it could
    int connections = 0, senders = 0;
    std::vector<std::string> performers;  ///< that are there
    std::string performer;                ///< who is followed; empty: the first that comes
    std::vector<std::string> missing,
        more;  ///< bones the expected body has and the stream lacks, and the other way
    bool fits = true;
    bool has_come = false, has_stopped = false;
    double since_s = 0.0;  ///< that the last frame came
    JitterBuffer::Account account;
    double buffer_s = 0.05;
    long malformed = 0;
    std::string last_malformed;
};

struct LiveTold {
    LiveState state = LiveState::closed;
    std::string sentence, remedy;
    double buffer_s = 0.0;  ///< with which what is late would be in time; 0: that would not help
};

/// After so long without a frame what is shown is held.
inline constexpr double stale_after_s = 0.25;
/// Of the frames of the last second, lost: from here on it is told.
inline constexpr double lossy_share = 0.01;

LiveTold told(const LiveFacts& facts);
/// "stale"
const char* live_state_name(LiveState state);

}  // namespace nb
