#include "live/receiver.hpp"

#include <arpa/inet.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <charconv>
#include <chrono>
#include <cmath>
#include <cstring>
#include <vector>

#include "core/base/fault.hpp"
#include "core/base/text_encoding.hpp"

namespace nb {

namespace {

constexpr size_t share_bytes = 64u << 10;  // of a connection, read at once
constexpr int share_datagrams = 64;
constexpr int buffer_bytes = 4 << 20;

sockaddr_in socket_address(const Address& address) {
    sockaddr_in to{};
    to.sin_family = AF_INET;
    to.sin_port = htons(std::uint16_t(address.port));
    ::inet_pton(AF_INET, address.host.c_str(), &to.sin_addr);
    return to;
}

int socket_at(const Address& address, int kind) {
    const int handle = ::socket(AF_INET, kind | SOCK_NONBLOCK | SOCK_CLOEXEC, 0);
    if (handle < 0)
        throw FileError(address.text(), fmt::format("cannot listen: {}", std::strerror(errno)),
                        "close other programs, or try again");
    const int on = 1;
    // What was closed a moment ago does not hold the port.
    if (kind == SOCK_STREAM) ::setsockopt(handle, SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
    ::setsockopt(handle, SOL_SOCKET, SO_RCVBUF, &buffer_bytes, sizeof buffer_bytes);
    const sockaddr_in to = socket_address(address);
    if (::bind(handle, reinterpret_cast<const sockaddr*>(&to), sizeof to) != 0) {
        const int why = errno;
        ::close(handle);
        if (why == EADDRINUSE)
            throw FileError(address.text(), "the port is taken: another program listens there",
                            "choose another port, or close that program");
        throw FileError(address.text(), fmt::format("cannot listen there: {}", std::strerror(why)),
                        "give an address of this machine, 127.0.0.1 for programs on it alone");
    }
    return handle;
}

}  // namespace

double live_now_s() {
    static const auto begun = std::chrono::steady_clock::now();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
}

bool Address::is_loopback() const {
    return host.starts_with("127.");
}

Address address_of(const std::string& text) {
    Address address;
    const size_t colon = text.rfind(':');
    const std::string port = colon == std::string::npos ? text : text.substr(colon + 1);
    if (colon != std::string::npos) address.host = text.substr(0, colon);
    if (address.host == "localhost") address.host = "127.0.0.1";
    in_addr parsed{};
    const auto [end, error] = std::from_chars(port.data(), port.data() + port.size(), address.port);
    if (error != std::errc() || end != port.data() + port.size() || address.port < 1 ||
        address.port > 65535 || ::inet_pton(AF_INET, address.host.c_str(), &parsed) != 1)
        throw FileError(shown_text(text), "is no address", "write 127.0.0.1:7300");
    return address;
}

bool Receiver::Owned::is_own(const std::string& performer) const {
    const auto owner = receiver_.owners_.find(performer);
    return owner != receiver_.owners_.end() && owner->second.id == id_;
}

void Receiver::Owned::skeleton(const std::string& performer, std::shared_ptr<const StreamSkeleton> skeleton) {
    auto owner = receiver_.owners_.find(performer);
    if (owner == receiver_.owners_.end()) {
        if (receiver_.owners_.size() >= most_performers) return malformed("more performers than are taken");
        owner = receiver_.owners_.emplace(performer, Owner{}).first;
    } else if (owner->second.id != id_ && live_now_s() - owner->second.heard_s < silent_s) {
        return malformed(fmt::format("'{}' comes from another sender already", performer));
    }
    owner->second.id = id_;
    owner->second.heard_s = live_now_s();
    receiver_.sink_.skeleton(performer, std::move(skeleton));
}

void Receiver::Owned::frame(const std::string& performer, StreamFrame& frame) {
    if (!is_own(performer)) return malformed(fmt::format("'{}' comes from another sender", performer));
    is_good_ = true;
    receiver_.owners_[performer].heard_s = frame.arrived_s;
    receiver_.sink_.frame(performer, frame);
}

void Receiver::Owned::stopped(const std::string& performer) {
    if (!is_own(performer)) return;
    receiver_.owners_.erase(performer);
    receiver_.sink_.stopped(performer);
}

void Receiver::Owned::malformed(const std::string& why) {
    receiver_.tell_malformed(why);
}

Receiver::Receiver(const Address& address, StreamSink& sink, std::function<double(double)> turn)
    : address_(address), sink_(sink), turn_(std::move(turn)) {
    try {
        listener_ = socket_at(address, SOCK_STREAM);
        datagrams_ = socket_at(address, SOCK_DGRAM);
        if (::listen(listener_, most_connections) != 0 || ::pipe2(wake_, O_NONBLOCK | O_CLOEXEC) != 0)
            throw FileError(address.text(), fmt::format("cannot listen: {}", std::strerror(errno)),
                            "choose another port");
    } catch (...) {
        close_all();
        throw;
    }
    thread_ = std::thread([this] { run(); });
}

Receiver::~Receiver() {
    is_ending_ = true;
    wake();
    thread_.join();
    close_all();
}

void Receiver::close_all() {
    for (auto& [id, connection] : connections_) ::close(connection.handle);
    connections_.clear();
    for (const int handle : {listener_, datagrams_, wake_[0], wake_[1]})
        if (handle >= 0) ::close(handle);
}

void Receiver::wake() {
    const char one = 1;
    [[maybe_unused]] const auto written = ::write(wake_[1], &one, 1);
}

Receiver::Counts Receiver::counts() const {
    const std::lock_guard lock(mutex_);
    return counts_;
}

void Receiver::tell_malformed(const std::string& why) {
    {
        const std::lock_guard lock(mutex_);
        ++counts_.malformed;
        counts_.last_malformed = why;
    }
    sink_.malformed(why);
}

void Receiver::run() {
    double next_s = live_now_s();
    std::vector<pollfd> watched;
    std::vector<int> ids;
    while (!is_ending_) {
        watched.assign({{listener_, POLLIN, 0}, {datagrams_, POLLIN, 0}, {wake_[0], POLLIN, 0}});
        ids.clear();
        for (const auto& [id, connection] : connections_) {
            watched.push_back({connection.handle, POLLIN, 0});
            ids.push_back(id);
        }
        const double wait_s = std::clamp(next_s - live_now_s(), 0.0, 0.25);
        timespec wait{};
        wait.tv_nsec = long(1e9 * wait_s);
        if (::ppoll(watched.data(), watched.size(), &wait, nullptr) < 0 && errno != EINTR) break;
        if (is_ending_) break;
        std::array<char, 64> woken;
        while (watched[2].revents != 0 && ::read(wake_[0], woken.data(), woken.size()) > 0) {
        }
        if (watched[1].revents != 0) read_datagrams();
        for (size_t i = 0; i < ids.size(); ++i)
            if (watched[3 + i].revents != 0 && !read(connections_.at(ids[i]))) drop(ids[i]);
        if (watched[0].revents != 0) accept_one();
        const double now = live_now_s();
        drop_silent(now);
        next_s = turn_(now);
    }
    for (auto& [id, connection] : connections_) connection.way->end();
    for (auto& [from, sender] : senders_) sender.way->end();
}

void Receiver::accept_one() {
    const int handle = ::accept4(listener_, nullptr, nullptr, SOCK_NONBLOCK | SOCK_CLOEXEC);
    if (handle < 0) return;
    if (int(connections_.size()) >= most_connections) {
        // The one that has said nothing sensible for the longest time makes room.
        auto oldest = connections_.end();
        for (auto it = connections_.begin(); it != connections_.end(); ++it)
            if (!it->second.sink->is_good() &&
                (oldest == connections_.end() || it->second.since_s < oldest->second.since_s))
                oldest = it;
        {
            const std::lock_guard lock(mutex_);
            ++counts_.refused;
        }
        if (oldest == connections_.end()) {
            ::close(handle);
            return;
        }
        drop(oldest->first);
    }
    const int on = 1;
    ::setsockopt(handle, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    const int id = next_id_++;
    Connection& connection = connections_[id];
    connection.handle = handle;
    connection.since_s = connection.heard_s = live_now_s();
    connection.sink = std::make_unique<Owned>(*this, id);
    connection.way = std::make_unique<BvhWayIn>(*connection.sink);
    const std::lock_guard lock(mutex_);
    counts_.connections = int(connections_.size());
}

bool Receiver::read(Connection& connection) {
    static thread_local std::vector<char> bytes(share_bytes);
    const ssize_t count = ::recv(connection.handle, bytes.data(), bytes.size(), 0);
    if (count < 0) return errno == EAGAIN || errno == EWOULDBLOCK || errno == EINTR;
    if (count == 0) return false;
    connection.heard_s = live_now_s();
    return connection.way->take({bytes.data(), size_t(count)}, connection.heard_s);
}

void Receiver::drop(int id) {
    const auto found = connections_.find(id);
    if (found == connections_.end()) return;
    ::close(found->second.handle);
    found->second.way->end();
    connections_.erase(found);
    const std::lock_guard lock(mutex_);
    counts_.connections = int(connections_.size());
}

void Receiver::drop_silent(double now_s) {
    for (auto it = connections_.begin(); it != connections_.end();) {
        const int id = it->first;
        const Connection& connection = (it++)->second;
        if (!connection.sink->is_good() && !connection.way->is_known() &&
            now_s - connection.since_s > patience_s && now_s - connection.heard_s < patience_s)
            drop(id);
    }
    for (auto it = senders_.begin(); it != senders_.end();) {
        if (now_s - it->second.heard_s < patience_s) {
            ++it;
            continue;
        }
        it->second.way->end();
        it = senders_.erase(it);
    }
    const std::lock_guard lock(mutex_);
    counts_.connections = int(connections_.size());
    counts_.senders = int(senders_.size());
}

void Receiver::read_datagrams() {
    static thread_local std::vector<char> bytes(1u << 16);
    for (int i = 0; i < share_datagrams; ++i) {
        sockaddr_in from{};
        socklen_t size = sizeof from;
        const ssize_t count =
            ::recvfrom(datagrams_, bytes.data(), bytes.size(), 0, reinterpret_cast<sockaddr*>(&from), &size);
        if (count < 0) return;
        const std::uint32_t host = from.sin_addr.s_addr;
        auto sender = senders_.find(host);
        if (sender == senders_.end()) {
            if (int(senders_.size()) >= most_senders) {
                const auto oldest = std::find_if(senders_.begin(), senders_.end(),
                                                 [](const auto& one) { return !one.second.sink->is_good(); });
                {
                    const std::lock_guard lock(mutex_);
                    ++counts_.refused;
                }
                if (oldest == senders_.end()) continue;
                oldest->second.way->end();
                senders_.erase(oldest);
            }
            sender = senders_.emplace(host, Sender{}).first;
            sender->second.sink = std::make_unique<Owned>(*this, next_id_++);
            sender->second.way = std::make_unique<OscWayIn>(*sender->second.sink, [this, host] {
                sockaddr_in to{};
                to.sin_family = AF_INET;
                to.sin_addr.s_addr = host;
                to.sin_port = htons(std::uint16_t(senders_.at(host).port));
                const std::string ask = osc_way_ask();
                ::sendto(datagrams_, ask.data(), ask.size(), MSG_DONTWAIT,
                         reinterpret_cast<const sockaddr*>(&to), sizeof to);
            });
        }
        sender->second.heard_s = live_now_s();
        sender->second.port = ntohs(from.sin_port);
        sender->second.way->take({bytes.data(), size_t(count)}, sender->second.heard_s);
    }
}

}  // namespace nb
