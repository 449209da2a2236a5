// BVH: writing.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <unordered_set>

#include "core/base/fault.hpp"
#include "core/files/bvh.hpp"

namespace nb {

namespace {

/// Three rotation channels, the file's own first; the positions when the joint moves.
std::vector<Channel> channels_to_write(const std::vector<Channel>& own, bool is_translated, bool is_turned) {
    std::vector<Channel> result;
    if (is_translated)
        for (int axis = 0; axis < 3; ++axis) result.push_back({false, axis});
    std::array<bool, 3> has{};
    std::vector<Channel> rotations;
    for (const Channel& channel : own) {
        if (!channel.is_rotation || has[size_t(channel.axis)]) continue;
        has[size_t(channel.axis)] = true;
        rotations.push_back(channel);
    }
    if (is_turned) {
        for (const int axis : {2, 0, 1}) {
            if (has[size_t(axis)]) continue;
            rotations.push_back({true, axis});
        }
    } else if (rotations.size() < 3) {
        rotations.clear();
    }
    result.insert(result.end(), rotations.begin(), rotations.end());
    return result;
}

void append_number(std::string& text, double value, int decimals) {
    char buffer[64];
    // Fixed notation holds every |value| <= 1e9 in this room.
    const auto [end, error] =
        std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::fixed, decimals);
    if (error != std::errc() || !std::isfinite(value))
        throw FileError("the motion", "was not written: a value is no finite number",
                        "look at the body and the take");
    std::string_view digits(buffer, size_t(end - buffer));
    while (digits.back() == '0') digits.remove_suffix(1);
    if (digits.back() == '.') digits.remove_suffix(1);
    text.append(digits == "-0" ? std::string_view("0") : digits);
}

void append_vector(std::string& text, const Vec3& v) {
    for (int axis = 0; axis < 3; ++axis) {
        text += ' ';
        // Nine significant digits: more than any capture resolves.
        const double magnitude = std::max(std::abs(v[axis]), 1e-3);
        append_number(text, v[axis], std::clamp(8 - int(std::floor(std::log10(magnitude))), 0, 11));
    }
}

}  // namespace

std::vector<std::string> bvh_names(const std::vector<std::string>& names) {
    std::vector<std::string> result;
    result.reserve(names.size());
    std::unordered_set<std::string> used;
    for (const std::string& name : names) {
        std::string safe;
        for (const char c : name) {
            const auto byte = static_cast<unsigned char>(c);
            safe += c == '{' || c == '}' || byte < 32 || byte == 127 ? '_' : c;
        }
        const size_t first = safe.find_first_not_of(' ');
        safe =
            first == std::string::npos ? "bone" : safe.substr(first, safe.find_last_not_of(' ') - first + 1);
        std::string unique = safe;
        for (int n = 2; !used.insert(unique).second; ++n) unique = fmt::format("{}_{}", safe, n);
        result.push_back(std::move(unique));
    }
    return result;
}

BvhWriter::BvhWriter(const SkeletonFile& file, const std::vector<char>& is_turned) {
    const Skeleton& skeleton = file.skeleton;
    const Take& take = file.take;
    const size_t joints = skeleton.names.size();
    slots_.assign(joints, -1);
    for (size_t m = 0; m < take.translated.size(); ++m) slots_[size_t(take.translated[m])] = int(m);
    channels_.resize(joints);
    for (size_t j = 0; j < joints; ++j)
        channels_[j] =
            channels_to_write(file.channels[j], slots_[j] >= 0, is_turned[j] || file.channels[j].size() >= 3);
    previous_.assign(joints, Vec3::Zero());

    header_ = "HIERARCHY\n";
    const auto children = skeleton.children();
    std::vector<int> open;
    const auto indent = [&](size_t extra) { header_.append(open.size() + extra, '\t'); };
    const auto close_to = [&](int parent) {
        while (!open.empty() && open.back() != parent) {
            open.pop_back();
            indent(0);
            header_ += "}\n";
        }
    };
    // BVH lists joints depth first; the channels of a frame follow the same order.
    std::vector<int> stack;
    for (size_t j = joints; j-- > 0;)
        if (skeleton.parents[j] < 0) stack.push_back(int(j));
    while (!stack.empty()) {
        const int j = stack.back();
        stack.pop_back();
        order_.push_back(j);
        const auto& below = children[size_t(j)];
        stack.insert(stack.end(), below.rbegin(), below.rend());
    }
    const std::vector<std::string> names = bvh_names(skeleton.names);
    for (const int j : order_) {
        close_to(skeleton.parents[size_t(j)]);
        indent(0);
        header_ += skeleton.parents[size_t(j)] < 0 ? "ROOT " : "JOINT ";
        header_ += names[size_t(j)] + "\n";
        indent(0);
        header_ += "{\n";
        open.push_back(j);
        indent(0);
        header_ += "OFFSET";
        append_vector(header_, skeleton.rest_p[size_t(j)]);
        header_ += "\n";
        indent(0);
        header_ += fmt::format("CHANNELS {}", channels_[size_t(j)].size());
        for (const Channel& channel : channels_[size_t(j)])
            header_ +=
                fmt::format(" {}{}", "XYZ"[channel.axis], channel.is_rotation ? "rotation" : "position");
        header_ += "\n";
        for (const EndSite& site : skeleton.end_sites) {
            if (site.joint != j) continue;
            indent(0);
            header_ += "End Site\n";
            indent(0);
            header_ += "{\n";
            indent(1);
            header_ += "OFFSET";
            append_vector(header_, site.offset_m);
            header_ += "\n";
            indent(0);
            header_ += "}\n";
        }
    }
    close_to(-1);
    header_ += fmt::format("MOTION\nFrames: {}\nFrame Time: {}\n", take.frames, take.frame_time_text);
}

void BvhWriter::append_frames(std::string& text, const Take& part) {
    for (int f = 0; f < part.frames; ++f) {
        const auto R = part.rotations(f);
        const auto p = part.translations(f);
        bool is_first = true;
        for (const int joint : order_) {
            const size_t j = size_t(joint);
            EulerOrder euler;
            int rotation = 0;
            for (const Channel& channel : channels_[j])
                if (channel.is_rotation) euler.axis[size_t(rotation++)] = channel.axis;
            if (rotation == 3) previous_[j] = to_euler_nearest(R[j].toRotationMatrix(), euler, previous_[j]);
            rotation = 0;
            for (const Channel& channel : channels_[j]) {
                if (!is_first) text += ' ';
                is_first = false;
                append_number(text,
                              channel.is_rotation ? rad_to_deg(previous_[j][rotation++])
                                                  : p[size_t(slots_[j])][channel.axis],
                              channel.is_rotation ? 6 : 7);
            }
        }
        text += '\n';
    }
}

void mark_turned(const Take& part, std::vector<char>& is_turned) {
    for (size_t j = 0; j < is_turned.size(); ++j)
        for (int f = 0; f < part.frames && !is_turned[j]; ++f)
            is_turned[j] = part.rotations(f)[j].vec().norm() > 1e-9;
}

std::string format_bvh(const SkeletonFile& file) {
    std::vector<char> is_turned(file.skeleton.names.size(), 0);
    mark_turned(file.take, is_turned);
    BvhWriter writer(file, is_turned);
    std::string text = writer.header();
    writer.append_frames(text, file.take);
    return text;
}

}  // namespace nb
