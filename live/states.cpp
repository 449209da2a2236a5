#include "live/states.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace nb {

namespace {

constexpr std::array<const char*, 9> state_names{"closed",          "port taken",     "waiting",
                                                 "other performer", "other skeleton", "comes",
                                                 "lossy",           "stale",          "stopped"};

std::string listed(const std::vector<std::string>& names, size_t most = 4) {
    std::string text;
    for (size_t i = 0; i < std::min(most, names.size()); ++i) text += (i > 0 ? ", " : "") + names[i];
    if (names.size() > most) text += fmt::format(" and {} more", names.size() - most);
    return text;
}

std::string of_bones(const LiveFacts& facts) {
    std::string text;
    if (!facts.missing.empty())
        text = fmt::format("{} {} missing: {}", facts.missing.size(),
                           facts.missing.size() == 1 ? "is" : "are", listed(facts.missing));
    if (!facts.more.empty())
        text += fmt::format("{}{} it has beside: {}", text.empty() ? "" : "; ", facts.more.size(),
                            listed(facts.more));
    return text.empty() ? "its bones hang together in another way" : text;
}

}  // namespace

const char* live_state_name(LiveState state) {
    return state_names[size_t(state)];
}

LiveTold told(const LiveFacts& facts) {
    if (!facts.refused.empty()) return {LiveState::port_taken, facts.refused, "choose another port"};
    if (facts.address.empty())
        return {LiveState::closed, "Nobody listens for a stream.",
                "choose a port and listen, or start the device"};
    const std::string& whom = facts.performer;
    const bool is_there =
        std::find(facts.performers.begin(), facts.performers.end(), whom) != facts.performers.end();
    if (facts.has_stopped && !is_there && (whom.empty() || facts.performers.empty()))
        return {LiveState::stopped,
                fmt::format("The stream{} has stopped.", whom.empty() ? "" : fmt::format(" of {}", whom)),
                "start the sender again, or go on in Transfer with what was recorded"};
    if (facts.performers.empty()) {
        if (facts.connections + facts.senders == 0)
            return {LiveState::waiting,
                    fmt::format("Nothing comes to {}: nobody is connected.", facts.address),
                    "start the sender, and give it this address"};
        return {LiveState::waiting,
                fmt::format("A sender is connected to {}, and nothing comes that can be followed{}.",
                            facts.address,
                            facts.last_malformed.empty() ? "" : fmt::format(" ({})", facts.last_malformed)),
                facts.malformed > 0 ? "see what it sends: docs/live.md has both ways in with examples"
                                    : "press play there, and see whether it sends this way"};
    }
    if (!whom.empty() && !is_there)
        return {LiveState::other_performer,
                fmt::format("{} does not come; here {} {}.", whom,
                            facts.performers.size() == 1 ? "is" : "are", listed(facts.performers)),
                "choose who is followed"};
    if (!facts.fits)
        return {LiveState::other_skeleton,
                fmt::format("{} comes on another skeleton: {}.", whom, of_bones(facts)),
                "take the stream's own body, or open a take of that skeleton first"};
    if (!facts.has_come)
        return {LiveState::waiting, fmt::format("{} is there, and sends no frames yet.", whom),
                "press play at the sender"};
    if (facts.since_s > stale_after_s)
        return {
            LiveState::stale,
            fmt::format("Nothing has come of {} for {:.1f} s: the last pose is held.", whom, facts.since_s),
            "see whether the sender plays, and the line holds"};
    const JitterBuffer::Account& account = facts.account;
    if (account.lost_share() >= lossy_share) {
        const int late = account.late, missing = account.missing;
        LiveTold lossy{LiveState::lossy,
                       fmt::format("{:.0f} % of the last second is lost: {} late, {} never came.",
                                   std::max(1.0, 100.0 * account.lost_share()), late, missing),
                       "see to the line between sender and this machine"};
        if (late > 0 && late >= missing) {
            lossy.buffer_s = 0.01 * std::ceil(100.0 * account.spread_s);
            lossy.remedy =
                fmt::format("a longer buffer, {:.0f} ms, would take what is late", 1e3 * lossy.buffer_s);
        }
        return lossy;
    }
    if (account.fps <= 0.0) return {LiveState::comes, fmt::format("{} comes.", whom), ""};
    return {LiveState::comes, fmt::format("{} comes at {:.0f} frames a second.", whom, account.fps), ""};
}

}  // namespace nb
