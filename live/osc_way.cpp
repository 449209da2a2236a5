#include "live/osc_way.hpp"

#include <fmt/format.h>
#include <lo/lo.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstring>

#include "core/base/fault.hpp"
#include "core/base/text_encoding.hpp"
#include "core/handover/handed.hpp"

namespace nb {

namespace {

constexpr int deepest_bundle = 4;
constexpr double asks_every_s = 0.5;
constexpr double ntp_epoch_s = 2208988800.0;  // 1900 to 1970

std::uint32_t big_endian(std::string_view bytes) {
    std::uint32_t value = 0;
    for (size_t i = 0; i < 4; ++i) value = value << 8 | static_cast<unsigned char>(bytes[i]);
    return value;
}

/// A message with its arguments, freed with it.
class Message {
  public:
    explicit Message(std::string_view bytes) : bytes_(bytes) {
        int result = 0;
        message_ = lo_message_deserialise(bytes_.data(), bytes_.size(), &result);
    }
    ~Message() {
        if (message_) lo_message_free(message_);
    }
    Message(const Message&) = delete;
    Message& operator=(const Message&) = delete;

    bool is_whole() const { return message_ != nullptr; }
    std::string_view path() const { return {bytes_.data(), strnlen(bytes_.data(), bytes_.size())}; }
    size_t count() const { return size_t(std::max(0, lo_message_get_argc(message_))); }
    bool text(size_t i, std::string_view& value) const {
        if (i >= count() || lo_message_get_types(message_)[i] != 's') return false;
        value = &lo_message_get_argv(message_)[i]->s;
        return true;
    }
    bool number(size_t i, double most, double& value) const {
        if (i >= count()) return false;
        const lo_arg* arg = lo_message_get_argv(message_)[i];
        switch (lo_message_get_types(message_)[i]) {
            case 'i':
                value = arg->i;
                break;
            case 'h':
                value = double(arg->h);
                break;
            case 'f':
                value = double(arg->f);
                break;
            case 'd':
                value = arg->d;
                break;
            default:
                return false;
        }
        return std::abs(value) <= most;  // false for NaN
    }
    bool whole(size_t i, long most, long& value) const {
        double read = 0.0;
        if (!number(i, double(most), read) || read < 0.0 || read != std::floor(read)) return false;
        value = long(read);
        return true;
    }
    bool place(size_t i, Vec3& value) const {
        return number(i, largest_length, value.x()) && number(i + 1, largest_length, value.y()) &&
               number(i + 2, largest_length, value.z());
    }

  private:
    std::string bytes_;  // liblo changes them in place
    lo_message message_ = nullptr;
};

}  // namespace

void OscWayIn::tell(const std::string& why) {
    sink_.malformed(why);
}

void OscWayIn::take(std::string_view datagram, double arrived_s) {
    arrived_s_ = arrived_s;
    packet(datagram, 0);
    for (auto& [name, performer] : performers_)
        if (performer.is_open && performer.got == performer.bones) close(name, performer);
}

void OscWayIn::packet(std::string_view bytes, int depth) {
    if (bytes.size() < 8 || bytes.size() % 4 != 0) return tell("a datagram is no OSC packet");
    if (bytes[0] == '/') return message(bytes);
    if (bytes.substr(0, 8) != std::string_view("#bundle\0", 8) || bytes.size() < 16)
        return tell("a datagram is no OSC packet");
    if (depth >= deepest_bundle) return tell("OSC bundles in bundles in bundles");
    bytes.remove_prefix(16);
    while (!bytes.empty()) {
        if (bytes.size() < 4) return tell("an OSC bundle is cut off");
        const size_t size = big_endian(bytes);
        bytes.remove_prefix(4);
        if (size > bytes.size()) return tell("an OSC bundle is cut off");
        packet(bytes.substr(0, size), depth + 1);
        bytes.remove_prefix(size);
    }
}

void OscWayIn::message(std::string_view bytes) {
    const Message m(bytes);
    if (!m.is_whole()) return tell("a datagram holds a broken OSC message");
    const std::string_view path = m.path();
    std::string_view name;
    if (path == "/live/ask") return;
    if (!path.starts_with("/live/"))
        return tell(fmt::format("an OSC message to '{}'", shown_text(path.substr(0, 40))));
    if (!m.text(0, name) || !is_performer_name(name))
        return tell(fmt::format("{} names no performer", shown_text(path.substr(0, 40))));
    auto found = performers_.find(name);
    long whole = 0;
    if (path == "/live/skeleton") {
        if (!m.whole(1, long(most_bones), whole) || whole == 0)
            return tell(fmt::format("/live/skeleton of '{}' has no number of bones", shown_text(name)));
        if (found == performers_.end()) {
            if (performers_.size() >= most_performers) return tell("more performers than are taken");
            found = performers_.emplace(std::string(name), Performer{}).first;
        }
        Performer& performer = found->second;
        performer.bones = size_t(whole);
        performer.joints.assign(size_t(whole), Joint{});
        performer.tips.clear();
        return;
    }
    if (found == performers_.end()) {
        // Its frames come before its hierarchy: that is asked for.
        if (path == "/live/frame" && arrived_s_ - asked_s_ > asks_every_s) {
            asked_s_ = arrived_s_;
            ask_();
        }
        return;
    }
    Performer& performer = found->second;
    std::string_view bone, above;
    if (path == "/live/joint") {
        Joint joint;
        long moves = 0;
        if (!m.whole(1, long(performer.bones) - 1, whole) || !m.text(2, bone) || !m.text(3, above) ||
            !m.place(4, joint.offset_m) || bone.empty() || bone.size() > longest_name ||
            above.size() > longest_name)
            return tell(fmt::format("/live/joint of '{}' is not as it should be", shown_text(name)));
        joint.name = std::string(bone);
        joint.above = std::string(above);
        joint.moves = (m.count() > 7 && m.whole(7, 1, moves) && moves == 1) || above.empty();
        joint.is_there = true;
        performer.joints[size_t(whole)] = std::move(joint);
        if (std::all_of(performer.joints.begin(), performer.joints.end(),
                        [](const Joint& one) { return one.is_there; }))
            build(found->first, performer);
        return;
    }
    if (path == "/live/tip") {
        Vec3 tip;
        if (!m.text(1, bone) || bone.size() > longest_name || !m.place(2, tip) ||
            performer.tips.size() >= most_bones)
            return tell(fmt::format("/live/tip of '{}' is not as it should be", shown_text(name)));
        performer.tips[std::string(bone)] = tip;
        return;
    }
    if (path == "/live/end") {
        sink_.stopped(found->first);
        performers_.erase(found);
        return;
    }
    if (!performer.skeleton) return;
    StreamFrame& frame = performer.frame;
    if (path == "/live/frame") {
        double sent_s = 0.0;
        if (!m.whole(1, largest_number, whole) || !m.number(2, largest_s, sent_s) || sent_s < 0.0)
            return tell(fmt::format("/live/frame of '{}' has no number and seconds", shown_text(name)));
        if (performer.is_open && frame.number == whole) return;  // its next part
        // What the one before lacks does not come any more: those bones stay as they were.
        if (performer.is_open && performer.got > 0) close(found->first, performer);
        frame.number = whole;
        frame.sent_s = sent_s;
        performer.is_open = true;
        performer.got = 0;
        std::fill(performer.has.begin(), performer.has.end(), 0);
        return;
    }
    if (path == "/live/bone") {
        Vec3 p;
        Eigen::Vector4d q;
        bool is_right = m.text(1, bone) && m.place(2, p);
        for (size_t i = 0; i < 4 && is_right; ++i) is_right = m.number(5 + i, 2.0, q[Eigen::Index(i)]);
        const auto place = is_right ? performer.place_of.find(bone) : performer.place_of.end();
        if (!is_right || q.norm() < 0.1)
            return tell(fmt::format("/live/bone of '{}' is not as it should be", shown_text(name)));
        if (place == performer.place_of.end())
            return tell(fmt::format("a bone '{}' that '{}' has not", shown_text(bone.substr(0, 40)),
                                    shown_text(name)));
        if (!performer.is_open) return tell(fmt::format("a bone of '{}' outside a frame", shown_text(name)));
        const size_t j = size_t(place->second);
        frame.R[j] = Quat(q[3], q[0], q[1], q[2]).normalized();
        if (const int own = performer.own_of[j]; own >= 0) frame.p[size_t(own)] = p;
        if (!std::exchange(performer.has[j], char(1))) ++performer.got;
        return;
    }
    tell(fmt::format("an OSC message to '{}'", shown_text(path.substr(0, 40))));
}

void OscWayIn::build(const std::string& name, Performer& performer) {
    // As a BVH: parents before children, in the order they are told.
    SkeletonFile file;
    std::vector<char> is_placed(performer.joints.size(), 0);
    std::map<std::string, int, std::less<>> place_of;
    for (bool has_more = true; has_more;) {
        has_more = false;
        for (size_t i = 0; i < performer.joints.size(); ++i) {
            const Joint& joint = performer.joints[i];
            const auto above = place_of.find(joint.above);
            if (is_placed[i] || (!joint.above.empty() && above == place_of.end())) continue;
            if (!place_of.emplace(joint.name, file.skeleton.size()).second) continue;
            is_placed[i] = 1;
            has_more = true;
            file.skeleton.names.push_back(joint.name);
            file.skeleton.parents.push_back(joint.above.empty() ? -1 : above->second);
            file.skeleton.rest_R.push_back(Quat::Identity());
            file.skeleton.rest_p.push_back(joint.offset_m);
            file.channels.push_back(new_channels());
            if (joint.moves) file.take.translated.push_back(file.skeleton.size() - 1);
        }
    }
    if (file.skeleton.names.size() != performer.joints.size())
        return tell(
            fmt::format("the hierarchy of '{}' does not hang together: a bone twice, in a ring or below one "
                        "that is missing",
                        shown_text(name)));
    for (const auto& [bone, tip] : performer.tips)
        if (const auto at = place_of.find(bone); at != place_of.end())
            file.skeleton.end_sites.push_back({at->second, tip});
    file.take.joints = file.skeleton.size();
    try {
        auto skeleton = stream_skeleton(file, name);
        if (performer.skeleton && are_alike(*performer.skeleton, *skeleton)) return;
        performer.skeleton = skeleton;
        const Skeleton& read = skeleton->file.skeleton;
        performer.place_of.clear();
        for (size_t j = 0; j < read.names.size(); ++j) performer.place_of[read.names[j]] = int(j);
        performer.own_of.assign(read.names.size(), -1);
        const std::vector<int>& translated = skeleton->file.take.translated;
        for (size_t i = 0; i < translated.size(); ++i) performer.own_of[size_t(translated[i])] = int(i);
        performer.has.assign(read.names.size(), 0);
        performer.is_open = false;
        performer.frame = {};
        performer.frame.R.assign(read.names.size(), Quat::Identity());
        for (const int joint : translated) performer.frame.p.push_back(read.rest_p[size_t(joint)]);
        performer.writer = std::make_unique<LineWriter>(*performer.skeleton);
        sink_.skeleton(name, std::move(skeleton));
    } catch (const std::exception& fault) {
        tell(fault.what());
    }
}

void OscWayIn::close(const std::string& name, Performer& performer) {
    performer.is_open = false;
    performer.frame.arrived_s = arrived_s_;
    performer.writer->write(performer.frame, performer.frame.line);
    sink_.frame(name, performer.frame);
}

void OscWayIn::end() {
    for (const auto& [name, performer] : performers_) sink_.stopped(name);
    performers_.clear();
}

namespace {

/// A bundle that grows; as bytes it is sent.
class Bundle {
  public:
    Bundle() : bundle_(lo_bundle_new(now())) {}
    ~Bundle() { lo_bundle_free_recursive(bundle_); }
    Bundle(const Bundle&) = delete;
    Bundle& operator=(const Bundle&) = delete;

    void add(const char* path, lo_message message) { lo_bundle_add_message(bundle_, path, message); }
    size_t size() const { return lo_bundle_length(bundle_); }
    std::string bytes() const {
        std::string bytes(lo_bundle_length(bundle_), '\0');
        size_t size = bytes.size();
        lo_bundle_serialise(bundle_, bytes.data(), &size);
        return bytes;
    }

  private:
    lo_bundle bundle_;
    static lo_timetag now() {
        const double s =
            ntp_epoch_s +
            std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
        lo_timetag tag;
        tag.sec = std::uint32_t(s);
        tag.frac = std::uint32_t((s - std::floor(s)) * 4294967296.0);
        return tag;
    }
};

lo_message texts(std::initializer_list<const char*> texts) {
    const lo_message message = lo_message_new();
    for (const char* text : texts) lo_message_add_string(message, text);
    return message;
}

void add_place(lo_message message, const Vec3& p) {
    for (int axis = 0; axis < 3; ++axis) lo_message_add_float(message, float(p[axis]));
}

std::string alone(const char* path, lo_message message) {
    std::string bytes(lo_message_length(message, path), '\0');
    size_t size = bytes.size();
    lo_message_serialise(message, path, bytes.data(), &size);
    lo_message_free(message);
    return bytes;
}

}  // namespace

std::vector<std::string> osc_way_skeleton(const std::string& performer, const StreamSkeleton& skeleton) {
    const Skeleton& s = skeleton.file.skeleton;
    const std::vector<int>& moves = skeleton.file.take.translated;
    std::vector<std::string> datagrams;
    auto bundle = std::make_unique<Bundle>();
    const auto add = [&](const char* path, lo_message message) {
        bundle->add(path, message);
        if (bundle->size() < largest_datagram) return;
        datagrams.push_back(bundle->bytes());
        bundle = std::make_unique<Bundle>();
    };
    const lo_message head = texts({performer.c_str()});
    lo_message_add_int32(head, s.size());
    add("/live/skeleton", head);
    for (const EndSite& site : s.end_sites) {
        const lo_message tip = texts({performer.c_str(), s.names[size_t(site.joint)].c_str()});
        add_place(tip, site.offset_m);
        add("/live/tip", tip);
    }
    for (int j = 0; j < s.size(); ++j) {
        const int parent = s.parents[size_t(j)];
        const lo_message joint = texts({performer.c_str()});
        lo_message_add_int32(joint, j);
        lo_message_add_string(joint, s.names[size_t(j)].c_str());
        lo_message_add_string(joint, parent < 0 ? "" : s.names[size_t(parent)].c_str());
        add_place(joint, s.rest_p[size_t(j)]);
        lo_message_add_int32(joint, std::count(moves.begin(), moves.end(), j) > 0 ? 1 : 0);
        add("/live/joint", joint);
    }
    datagrams.push_back(bundle->bytes());
    return datagrams;
}

std::vector<std::string> osc_way_frame(const std::string& performer, const StreamSkeleton& skeleton,
                                       const StreamFrame& frame) {
    const Skeleton& s = skeleton.file.skeleton;
    const std::vector<int>& moves = skeleton.file.take.translated;
    std::vector<std::string> datagrams;
    std::unique_ptr<Bundle> bundle;
    size_t own = 0;
    for (int j = 0; j < s.size(); ++j) {
        if (!bundle) {
            bundle = std::make_unique<Bundle>();
            const lo_message head = texts({performer.c_str()});
            lo_message_add_int32(head, std::int32_t(frame.number));
            lo_message_add_double(head, frame.sent_s);
            bundle->add("/live/frame", head);
        }
        const bool is_own = own < moves.size() && moves[own] == j;
        const lo_message bone = texts({performer.c_str(), s.names[size_t(j)].c_str()});
        add_place(bone, is_own ? frame.p[own] : s.rest_p[size_t(j)]);
        if (is_own) ++own;
        const Quat& q = frame.R[size_t(j)];
        for (const double value : {q.x(), q.y(), q.z(), q.w()}) lo_message_add_float(bone, float(value));
        bundle->add("/live/bone", bone);
        if (bundle->size() < largest_datagram && j + 1 < s.size()) continue;
        datagrams.push_back(bundle->bytes());
        bundle.reset();
    }
    return datagrams;
}

std::string osc_way_end(const std::string& performer) {
    return alone("/live/end", texts({performer.c_str()}));
}

std::string osc_way_ask() {
    return alone("/live/ask", lo_message_new());
}

}  // namespace nb
