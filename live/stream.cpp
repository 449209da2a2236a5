#include "live/stream.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "core/base/fault.hpp"

namespace nb {

namespace {

bool is_blank(char c) {
    return c == ' ' || c == '\t' || c == '\r';
}

}  // namespace

bool is_performer_name(std::string_view name) {
    if (name.empty() || name.size() > longest_name || name == "SKELETON" || name == "END") return false;
    return std::all_of(name.begin(), name.end(), [](char c) {
        const auto byte = static_cast<unsigned char>(c);
        return byte > 32 && byte != 127;
    });
}

std::string as_performer_name(std::string_view name) {
    std::string safe;
    for (const char c : name.substr(0, longest_name)) {
        const auto byte = static_cast<unsigned char>(c);
        safe += byte > 32 && byte != 127 ? c : '-';
    }
    return is_performer_name(safe) ? safe : "performer";
}

std::shared_ptr<const StreamSkeleton> stream_skeleton(std::string_view header, const std::string& name) {
    auto skeleton = std::make_shared<StreamSkeleton>();
    skeleton->header = std::string(header);
    while (!skeleton->header.empty() &&
           (is_blank(skeleton->header.back()) || skeleton->header.back() == '\n'))
        skeleton->header.pop_back();
    skeleton->header += '\n';
    skeleton->file = parse_bvh(skeleton->header + "MOTION\nFrames: 0\nFrame Time: 0.01\n", name);
    SkeletonFile& file = skeleton->file;
    if (file.skeleton.names.size() > most_bones)
        throw FileError(name, fmt::format("has {} bones", file.skeleton.names.size()),
                        fmt::format("send {} at most", most_bones));
    for (const std::vector<Channel>& channels : file.channels) skeleton->values += channels.size();
    if (skeleton->values == 0)
        throw FileError(name, "no bone of the hierarchy has channels", "give its bones CHANNELS");
    return skeleton;
}

std::shared_ptr<const StreamSkeleton> stream_skeleton(const SkeletonFile& file, const std::string& name) {
    const BvhWriter writer(file, std::vector<char>(file.skeleton.names.size(), 1));
    const std::string& header = writer.header();
    return stream_skeleton(std::string_view(header).substr(0, header.rfind("MOTION")), name);
}

bool are_alike(const StreamSkeleton& a, const StreamSkeleton& b) {
    return a.header == b.header;
}

bool read_values(std::string_view line, const StreamSkeleton& skeleton, StreamFrame& frame,
                 std::string& why) {
    const SkeletonFile& file = skeleton.file;
    const size_t joints = file.skeleton.names.size();
    frame.R.resize(joints);
    frame.p.resize(file.take.translated.size());
    size_t own = 0;
    const char* at = line.data();
    const char* const end = at + line.size();
    for (size_t j = 0; j < joints; ++j) {
        Quat R = Quat::Identity();
        Vec3 p = file.skeleton.rest_p[j];
        bool is_placed = false;
        for (const Channel& channel : file.channels[j]) {
            while (at < end && is_blank(*at)) ++at;
            if (at == end) {
                why = fmt::format("has fewer than {} values", skeleton.values);
                return false;
            }
            if (*at == '+') ++at;
            double value = 0.0;
            const auto [after, error] = std::from_chars(at, end, value);
            const double most = channel.is_rotation ? largest_angle_deg : largest_length;
            if (error != std::errc() || (after < end && !is_blank(*after)) || !(std::abs(value) <= most)) {
                why = fmt::format("has a value of bone '{}' that is no number within bounds",
                                  file.skeleton.names[j]);
                return false;
            }
            at = after;
            if (channel.is_rotation) {
                R = R * axis_rotation(channel.axis, deg_to_rad(value));
            } else {
                p[channel.axis] = value;
                is_placed = true;
            }
        }
        frame.R[j] = R;
        if (is_placed) frame.p[own++] = p;
    }
    while (at < end && is_blank(*at)) ++at;
    if (at != end) {
        why = fmt::format("has more than {} values", skeleton.values);
        return false;
    }
    return true;
}

LineWriter::LineWriter(const StreamSkeleton& skeleton)
    : writer_(skeleton.file, std::vector<char>(skeleton.file.skeleton.names.size(), 1)) {
    one_.frames = 1;
    one_.joints = skeleton.file.skeleton.size();
    one_.translated = skeleton.file.take.translated;
}

void LineWriter::write(const StreamFrame& frame, std::string& line) {
    one_.R.edit() = frame.R;
    one_.p.edit() = frame.p;
    line.clear();
    writer_.append_frames(line, one_);
    line.pop_back();  // its end
}

}  // namespace nb
