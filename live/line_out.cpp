#include "live/line_out.hpp"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>

#include "core/base/fault.hpp"
#include "core/files/bvh.hpp"
#include "core/handover/handed.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

constexpr double tries_every_s = 0.5, tells_every_s = 2.0;
constexpr size_t most_waiting = 256u << 10;  // for a connection that is slow; then frames are left out

}  // namespace

std::shared_ptr<const StreamSkeleton> streamed_skeleton(const Skeleton& skeleton,
                                                        const std::vector<int>& moved,
                                                        const std::string& name) {
    const Pose rest = rest_pose(skeleton);
    SkeletonFile file;
    file.skeleton = skeleton;
    file.skeleton.bind_R.clear();
    file.channels.assign(size_t(skeleton.size()), new_channels());
    for (size_t j = 0; j < skeleton.names.size(); ++j) {
        const int parent = skeleton.parents[j];
        file.skeleton.rest_R[j] = Quat::Identity();
        file.skeleton.rest_p[j] = parent < 0 ? rest.p[j] : Vec3(rest.p[j] - rest.p[size_t(parent)]);
        if (parent < 0 || std::find(moved.begin(), moved.end(), int(j)) != moved.end())
            file.take.translated.push_back(int(j));
    }
    for (EndSite& site : file.skeleton.end_sites) site.offset_m = rest.R[size_t(site.joint)] * site.offset_m;
    file.take.joints = skeleton.size();
    return stream_skeleton(file, name);
}

PoseStream::PoseStream(const Skeleton& skeleton, const std::vector<int>& moved, const std::string& name)
    : rest_(rest_pose(skeleton)),
      streamed_(streamed_skeleton(skeleton, moved, name)),
      writer_(*streamed_),
      B_(skeleton.names.size()) {
    // A BVH lists joints depth first.
    const std::vector<std::string> names = bvh_names(skeleton.names);
    const Skeleton& streamed = streamed_->file.skeleton;
    for (int j = 0; j < streamed.size(); ++j)
        place_.push_back(
            int(std::find(names.begin(), names.end(), streamed.names[size_t(j)]) - names.begin()));
    parents_ = streamed.parents;
}

void PoseStream::write(const Pose& pose, long number, double s, bool has_line, StreamFrame& frame) {
    frame.number = number;
    frame.sent_s = s;
    frame.R.resize(place_.size());
    const std::vector<int>& translated = streamed_->file.take.translated;
    frame.p.resize(translated.size());
    for (size_t j = 0; j < place_.size(); ++j) {
        const size_t at = size_t(place_[j]);
        B_[j] = pose.R[at] * rest_.R[at].conjugate();
        frame.R[j] = parents_[j] < 0 ? B_[j] : Quat(B_[size_t(parents_[j])].conjugate() * B_[j]);
    }
    for (size_t i = 0; i < translated.size(); ++i) {
        const size_t j = size_t(translated[i]);
        const int parent = parents_[j];
        const Vec3& p = pose.p[size_t(place_[j])];
        frame.p[i] =
            parent < 0
                ? p
                : Vec3(B_[size_t(parent)].conjugate() * Vec3(p - pose.p[size_t(place_[size_t(parent)])]));
    }
    if (has_line) writer_.write(frame, frame.line);
}

Line::Line(OutSettings::Way way, const Address& to, bool may_leave_machine) : way_(way), to_(to) {
    if (!to.is_loopback() && !may_leave_machine)
        throw FileError(to.text(), "is not on this machine",
                        "say that the stream may leave it, or send to 127.0.0.1");
}

Line::~Line() {
    if (handle_ >= 0) {
        // What is left goes if it goes at once.
        if (!waiting_.empty()) ::send(handle_, waiting_.data(), waiting_.size(), MSG_DONTWAIT | MSG_NOSIGNAL);
        ::close(handle_);
    }
}

void Line::connect(double now_s) {
    if (handle_ >= 0 || now_s - tried_s_ < tries_every_s) return;
    tried_s_ = now_s;
    const int kind = way_ == OutSettings::Way::bvh ? SOCK_STREAM : SOCK_DGRAM;
    handle_ = ::socket(AF_INET, kind | SOCK_NONBLOCK | SOCK_CLOEXEC, 0);
    if (handle_ < 0) return;
    sockaddr_in to{};
    to.sin_family = AF_INET;
    to.sin_port = htons(std::uint16_t(to_.port));
    ::inet_pton(AF_INET, to_.host.c_str(), &to.sin_addr);
    const int on = 1;
    if (kind == SOCK_STREAM) ::setsockopt(handle_, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    is_asked_ = true;
    waiting_.clear();
    if (::connect(handle_, reinterpret_cast<const sockaddr*>(&to), sizeof to) == 0) return;
    if (errno == EINPROGRESS) {
        is_connecting_ = true;
        return;
    }
    ::close(handle_);
    handle_ = -1;
}

bool Line::wants_skeleton(double now_s) {
    connect(now_s);
    if (handle_ < 0) return false;
    if (is_connecting_) {
        pollfd watched{handle_, POLLOUT, 0};
        if (::poll(&watched, 1, 0) <= 0) return false;
        int error = 0;
        socklen_t size = sizeof error;
        ::getsockopt(handle_, SOL_SOCKET, SO_ERROR, &error, &size);
        is_connecting_ = false;
        if (error != 0) {
            ::close(handle_);
            handle_ = -1;
            return false;
        }
    }
    // Whoever takes it may ask.
    std::array<char, 256> asked;
    if (way_ == OutSettings::Way::osc && ::recv(handle_, asked.data(), asked.size(), MSG_DONTWAIT) > 0)
        is_asked_ = true;
    return is_asked_ || (way_ == OutSettings::Way::osc && now_s - told_s_ > tells_every_s);
}

void Line::skeleton_sent(double now_s) {
    is_asked_ = false;
    told_s_ = now_s;
}

bool Line::send(std::string_view bytes) {
    if (handle_ < 0 || is_connecting_) return false;
    if (way_ == OutSettings::Way::osc)
        // Nobody there is told by the next one: it is sent all the same.
        return ::send(handle_, bytes.data(), bytes.size(), MSG_DONTWAIT | MSG_NOSIGNAL) >= 0;
    if (waiting_.size() > most_waiting) return false;
    waiting_ += bytes;
    const ssize_t sent = ::send(handle_, waiting_.data(), waiting_.size(), MSG_DONTWAIT | MSG_NOSIGNAL);
    if (sent > 0) waiting_.erase(0, size_t(sent));
    if (sent >= 0 || errno == EAGAIN || errno == EWOULDBLOCK) return true;
    ::close(handle_);
    handle_ = -1;
    return false;
}

LineOut::LineOut(const OutSettings& settings, const Skeleton& skeleton, const std::vector<int>& moved)
    : settings_(settings),
      stream_(skeleton, moved, settings.performer),
      line_(settings.way, settings.to, settings.may_leave_machine) {}

bool LineOut::send(const Pose& pose, long number, double s) {
    const double now = live_now_s();
    const bool is_text = settings_.way == OutSettings::Way::bvh;
    const std::string& name = settings_.performer;
    if (line_.wants_skeleton(now)) {
        bool is_sent = true;
        if (is_text)
            is_sent = line_.send(bvh_way_skeleton(name, *stream_.skeleton()));
        else
            for (const std::string& datagram : osc_way_skeleton(name, *stream_.skeleton()))
                is_sent = line_.send(datagram) && is_sent;
        if (is_sent) line_.skeleton_sent(now);
    }
    if (!line_.is_open()) return false;
    stream_.write(pose, number, s, is_text, frame_);
    bool is_sent = true;
    if (is_text) {
        text_.clear();
        append_bvh_way_frame(text_, name, frame_);
        is_sent = line_.send(text_);
    } else {
        for (const std::string& datagram : osc_way_frame(name, *stream_.skeleton(), frame_))
            is_sent = line_.send(datagram) && is_sent;
    }
    if (is_sent) ++sent_;
    return is_sent;
}

}  // namespace nb
