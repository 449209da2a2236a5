#include "live/bvh_way.hpp"

#include <fmt/format.h>

#include <charconv>

#include "core/base/fault.hpp"
#include "core/base/text_encoding.hpp"

namespace nb {

namespace {

constexpr int most_malformed = 1000;  // of one connection, before it is cut off

std::string_view next_word(std::string_view& text) {
    const size_t first = text.find_first_not_of(" \t");
    if (first == std::string_view::npos) {
        text = {};
        return {};
    }
    text.remove_prefix(first);
    const std::string_view word = text.substr(0, text.find_first_of(" \t"));
    text.remove_prefix(word.size());
    return word;
}

template <typename Number>
bool number_of(std::string_view word, Number& value) {
    const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), value);
    return error == std::errc() && end == word.data() + word.size();
}

std::string shown(std::string_view text) {
    return shown_text(std::string(text.substr(0, 40)));
}

}  // namespace

void BvhWayIn::tell(const std::string& why) {
    ++malformed_;
    sink_.malformed(why);
}

bool BvhWayIn::take(std::string_view bytes, double arrived_s) {
    while (!bytes.empty()) {
        const size_t end = bytes.find('\n');
        if (end == std::string_view::npos) {
            if (rest_.size() + bytes.size() > longest_line) {
                tell("a line has no end");
                return false;
            }
            rest_ += bytes;
            break;
        }
        if (rest_.empty()) {
            line(bytes.substr(0, end), arrived_s);
        } else {
            rest_ += bytes.substr(0, end);
            line(rest_, arrived_s);
            rest_.clear();
        }
        bytes.remove_prefix(end + 1);
        if (malformed_ > most_malformed) return false;
    }
    return true;
}

void BvhWayIn::end() {
    for (const auto& [performer, skeleton] : performers_) sink_.stopped(performer);
    performers_.clear();
}

void BvhWayIn::line(std::string_view text, double arrived_s) {
    while (!text.empty() && (text.back() == '\r' || text.back() == ' ')) text.remove_suffix(1);
    if (is_in_header_) return header_line(text);
    if (text.find_first_not_of(" \t") == std::string_view::npos) return;
    if (text.size() > longest_line) return tell("a line is too long");
    std::string_view left = text;
    const std::string_view word = next_word(left);
    if (word == "SKELETON") {
        const std::string_view name = next_word(left);
        if (!is_performer_name(name)) return tell(fmt::format("'{}' is no performer's name", shown(name)));
        named_ = std::string(name);
        header_.clear();
        is_in_header_ = true;
        return;
    }
    if (word == "END") {
        const auto found = performers_.find(next_word(left));
        if (found == performers_.end()) return tell("END of a performer who is not there");
        sink_.stopped(found->first);
        performers_.erase(found);
        return;
    }
    const auto found = performers_.find(word);
    if (found == performers_.end())
        return tell(fmt::format("a frame of '{}', whose SKELETON has not come", shown(word)));
    frame_line(found->first, left, arrived_s);
}

void BvhWayIn::header_line(std::string_view text) {
    if (text != "MOTION") {
        header_ += text;
        header_ += '\n';
        if (header_.size() <= longest_header) return;
        is_in_header_ = false;
        header_.clear();
        return tell(fmt::format("the hierarchy of '{}' is too long", shown(named_)));
    }
    is_in_header_ = false;
    try {
        if (performers_.size() >= most_performers && !performers_.contains(named_))
            return tell("more performers than are taken");
        auto skeleton = stream_skeleton(header_, named_);
        performers_[named_] = skeleton;
        sink_.skeleton(named_, std::move(skeleton));
    } catch (const std::exception& fault) {
        tell(fault.what());
    }
}

void BvhWayIn::frame_line(const std::string& performer, std::string_view text, double arrived_s) {
    const std::string_view number = next_word(text);
    const std::string_view seconds = next_word(text);
    if (!number_of(number, frame_.number) || frame_.number < 0 || frame_.number > largest_number ||
        !number_of(seconds, frame_.sent_s) || !(frame_.sent_s >= 0.0 && frame_.sent_s <= largest_s))
        return tell(fmt::format("a frame of '{}' has no number and seconds", performer));
    std::string why;
    if (!read_values(text, *performers_.find(performer)->second, frame_, why))
        return tell(fmt::format("frame {} of '{}' {}", frame_.number, performer, why));
    const size_t first = text.find_first_not_of(" \t");
    frame_.line.assign(first == std::string_view::npos ? std::string_view() : text.substr(first));
    frame_.arrived_s = arrived_s;
    sink_.frame(performer, frame_);
}

std::string bvh_way_skeleton(const std::string& performer, const StreamSkeleton& skeleton) {
    return fmt::format("SKELETON {}\n{}MOTION\n", performer, skeleton.header);
}

void append_bvh_way_frame(std::string& text, const std::string& performer, const StreamFrame& frame) {
    text += fmt::format("{} {} {:.6f} ", performer, frame.number, frame.sent_s);
    text += frame.line;
    text += '\n';
}

std::string bvh_way_end(const std::string& performer) {
    return fmt::format("END {}\n", performer);
}

}  // namespace nb
