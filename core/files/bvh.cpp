#include "core/files/bvh.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/watch.hpp"

namespace nb {

namespace {

bool is_space(char c) {
    return c == ' ' || c == '\t' || c == '\r' || c == '\n' || c == '\f' || c == '\v';
}

bool equal_ignoring_case(std::string_view a, std::string_view b) {
    return a.size() == b.size() && std::equal(a.begin(), a.end(), b.begin(), [](char x, char y) {
               const auto lower = [](char c) { return c >= 'A' && c <= 'Z' ? char(c - 'A' + 'a') : c; };
               return lower(x) == lower(y);
           });
}

std::string printable(std::string_view token) {
    std::string result;
    for (const char c : token.substr(0, 40)) result += c >= 32 && c < 127 ? c : '?';
    return token.size() > 40 ? result + "..." : result;
}

/// Largest number that is taken for a length or an angle; beyond it sums lose their meaning.
constexpr double largest_value = 1e9;

class Parser {
  public:
    Parser(std::string_view text, const std::string& path) : text_(text), path_(path) {
        if (text_.starts_with("\xEF\xBB\xBF")) at_ = 3;
    }

    SkeletonFile parse() {
        if (!equal_ignoring_case(next(), "HIERARCHY"))
            fail_here("the file does not start with HIERARCHY", "give a BVH motion file");
        hierarchy();
        if (file_.skeleton.size() == 0) fail_here("the hierarchy has no ROOT", "export the file again");
        motion();
        return std::move(file_);
    }

  private:
    std::string_view text_;
    const std::string& path_;
    size_t at_ = 0;
    size_t token_at_ = 0;
    SkeletonFile file_;

    [[noreturn]] void fail(size_t offset, std::string_view what, std::string_view remedy) const {
        offset = std::min(offset, text_.size());
        const auto before = text_.substr(0, offset);
        const int line = 1 + static_cast<int>(std::count(before.begin(), before.end(), '\n'));
        const size_t line_start = before.rfind('\n') == std::string_view::npos ? 0 : before.rfind('\n') + 1;
        throw FileError(path_, line, static_cast<int>(offset - line_start) + 1, what, remedy);
    }
    [[noreturn]] void fail_here(std::string_view what, std::string_view remedy) const {
        fail(token_at_, what, remedy);
    }

    void skip_space() {
        while (at_ < text_.size() && is_space(text_[at_])) ++at_;
    }
    std::string_view next() {
        skip_space();
        token_at_ = at_;
        while (at_ < text_.size() && !is_space(text_[at_])) {
            const bool is_brace = text_[at_] == '{' || text_[at_] == '}';
            if (is_brace && at_ > token_at_) break;
            ++at_;
            if (is_brace) break;
        }
        return text_.substr(token_at_, at_ - token_at_);
    }
    std::string_view peek() {
        const size_t at = at_;
        const size_t token_at = token_at_;
        const auto token = next();
        at_ = at;
        token_at_ = token_at;
        return token;
    }
    /// Names may hold spaces: the rest of the line up to a brace.
    std::string rest_of_line() {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t')) ++at_;
        token_at_ = at_;
        while (at_ < text_.size() && text_[at_] != '\n' && text_[at_] != '\r' && text_[at_] != '{') ++at_;
        auto name = text_.substr(token_at_, at_ - token_at_);
        while (!name.empty() && is_space(name.back())) name.remove_suffix(1);
        return std::string(name);
    }
    double number(std::string_view what) {
        auto token = next();
        if (token.empty())
            fail_here(fmt::format("the file ends where {} should stand", what),
                      "the file is cut off, export it again");
        if (token.front() == '+') token.remove_prefix(1);
        double value = 0.0;
        const auto [end, error] = std::from_chars(token.data(), token.data() + token.size(), value);
        if (error == std::errc::result_out_of_range || (error == std::errc() && !std::isfinite(value)))
            fail_here(fmt::format("{} is '{}', not a finite number", what, printable(token)),
                      "repair the capture at this place");
        if (error != std::errc() || end != token.data() + token.size())
            fail_here(fmt::format("{} is '{}', not a number", what, printable(token)),
                      "write numbers with a decimal point");
        if (std::abs(value) > largest_value)
            fail_here(fmt::format("{} is {}, beyond any length or angle", what, printable(token)),
                      "repair the capture at this place");
        return value;
    }
    Vec3 vector(std::string_view what) {
        const double x = number(what);
        const double y = number(what);
        const double z = number(what);
        return {x, y, z};
    }

    void hierarchy() {
        std::vector<int> open;  // joints whose block is open; -1 stands for an end site
        Skeleton& skeleton = file_.skeleton;
        bool ended = false;
        while (!ended) {
            const auto word = next();
            if (word.empty()) {
                if (!open.empty())
                    fail_here("the file ends inside the hierarchy", "the file is cut off, export it again");
                return;
            }
            if (equal_ignoring_case(word, "MOTION")) {
                if (!open.empty())
                    fail_here(fmt::format("MOTION starts while {} blocks are open", open.size()),
                              "a closing brace is missing");
                at_ = token_at_;
                ended = true;
            } else if (equal_ignoring_case(word, "ROOT") || equal_ignoring_case(word, "JOINT")) {
                if (!open.empty() && open.back() < 0)
                    fail_here("a joint inside an End Site", "an End Site has an OFFSET only");
                if (open.empty() && equal_ignoring_case(word, "JOINT"))
                    fail_here("a JOINT stands outside any ROOT", "start each tree with ROOT");
                if (static_cast<int>(open.size()) >= bvh_max_depth)
                    fail_here(fmt::format("the hierarchy is more than {} joints deep", bvh_max_depth),
                              "the file is damaged or no skeleton");
                const std::string name = rest_of_line();
                if (name.empty()) fail_here("a joint has no name", "give every joint a name");
                skeleton.names.push_back(name);
                skeleton.parents.push_back(open.empty() ? -1 : open.back());
                skeleton.rest_R.push_back(Quat::Identity());
                skeleton.rest_p.emplace_back(Vec3::Zero());
                file_.channels.emplace_back();
                open.push_back(skeleton.size() - 1);
                expect_brace();
            } else if (equal_ignoring_case(word, "End")) {
                rest_of_line();  // "Site", or a name
                if (open.empty() || open.back() < 0)
                    fail_here("an End Site outside a joint", "End Site belongs inside a JOINT");
                skeleton.end_sites.push_back({open.back(), Vec3::Zero()});
                open.push_back(-1);
                expect_brace();
            } else if (equal_ignoring_case(word, "OFFSET")) {
                if (open.empty()) fail_here("OFFSET outside a joint", "a brace is misplaced");
                const Vec3 offset = vector("OFFSET");
                if (open.back() < 0)
                    skeleton.end_sites.back().offset_m = offset;
                else
                    skeleton.rest_p[size_t(open.back())] = offset;
            } else if (equal_ignoring_case(word, "CHANNELS")) {
                if (open.empty() || open.back() < 0)
                    fail_here("CHANNELS outside a joint", "a brace is misplaced");
                channels(file_.channels[size_t(open.back())]);
            } else if (word == "}") {
                if (open.empty()) fail_here("a closing brace too many", "a brace is misplaced");
                open.pop_back();
            } else {
                fail_here(fmt::format("'{}' is not expected in the hierarchy", printable(word)),
                          "expected JOINT, End Site, OFFSET, CHANNELS or a brace");
            }
        }
    }

    void expect_brace() {
        if (next() != "{") fail_here("an opening brace is missing", "each joint needs a block in braces");
    }

    void channels(std::vector<Channel>& result) {
        const double count = number("the number of channels");
        if (count < 0 || count > 6 || count != std::floor(count))
            fail_here("the number of channels is not 0 to 6", "correct the CHANNELS line");
        if (!result.empty()) fail_here("a joint has CHANNELS twice", "keep one CHANNELS line a joint");
        for (int c = 0; c < int(count); ++c) {
            const auto word = next();
            const auto axis = word.empty() ? -1 : (word[0] | 32) - 'x';
            const auto kind = word.substr(std::min<size_t>(1, word.size()));
            const bool is_rotation = equal_ignoring_case(kind, "rotation");
            if (axis < 0 || axis > 2 || (!is_rotation && !equal_ignoring_case(kind, "position")))
                fail_here(fmt::format("'{}' is not a channel", printable(word)),
                          "channels are Xposition ... Zposition, Xrotation ... Zrotation");
            result.push_back({is_rotation, axis});
        }
    }

    void motion() {
        const Skeleton& skeleton = file_.skeleton;
        Take& take = file_.take;
        take.joints = skeleton.size();
        size_t channel_count = 0;
        for (int j = 0; j < skeleton.size(); ++j) {
            const auto& channels = file_.channels[size_t(j)];
            channel_count += channels.size();
            if (std::any_of(channels.begin(), channels.end(),
                            [](const Channel& c) { return !c.is_rotation; }))
                take.translated.push_back(j);
        }
        if (next().empty()) {
            file_.notes.emplace_back("the file has no MOTION: a skeleton only");
            return;
        }
        const long announced = frame_count();
        frame_time();
        read_frames(channel_count);
        file_.facts.announced_frames = int(announced);
        if (announced != take.frames)
            file_.notes.push_back(
                fmt::format("the header announces {} frames, the data hold {}: the data are used", announced,
                            take.frames));
    }

    long frame_count() {
        auto word = next();
        if (word.size() > 7 && equal_ignoring_case(word.substr(0, 7), "Frames:"))
            at_ = token_at_ + 7;  // "Frames:12"
        else if (equal_ignoring_case(word, "Frames") && peek() == ":")
            next();
        else if (!equal_ignoring_case(word, "Frames:"))
            fail_here("'Frames:' is missing", "export the file again");
        const double announced = number("the number of frames");
        if (announced < 0 || announced != std::floor(announced))
            fail_here("the number of frames is not a whole number", "correct the Frames line");
        return static_cast<long>(announced);
    }

    void frame_time() {
        if (!equal_ignoring_case(next(), "Frame"))
            fail_here("'Frame Time:' is missing", "export the file again");
        const auto word = next();
        if (word.size() > 5 && equal_ignoring_case(word.substr(0, 5), "Time:"))
            at_ = token_at_ + 5;
        else if (!equal_ignoring_case(word, "Time:"))
            fail_here("'Frame Time:' is missing", "export the file again");
        Take& take = file_.take;
        take.frame_time_s = number("the frame time");
        take.frame_time_text = std::string(text_.substr(token_at_, at_ - token_at_));
        if (!(take.frame_time_s > 1e-6) || take.frame_time_s > 1e4)
            fail_here(fmt::format("the frame time is {} s", take.frame_time_text),
                      "give the seconds of one frame, for example 0.0166667");
    }

    void read_frames(size_t channel_count) {
        const Skeleton& skeleton = file_.skeleton;
        Take& take = file_.take;
        if (channel_count == 0) {
            skip_space();
            token_at_ = at_;
            if (at_ < text_.size())
                fail_here("there are numbers but no channels", "add CHANNELS to the joints");
            return;
        }
        const size_t expected = (text_.size() - at_) / (channel_count * 2) + 1;
        std::vector<Quat>& rotations = take.R.edit();
        std::vector<Vec3>& places = take.p.edit();
        rotations.reserve(std::min<size_t>(expected, 1u << 20) * size_t(take.joints));
        while (true) {
            skip_space();
            if (at_ >= text_.size()) break;
            if (take.frames % 256 == 0) look_up(0.7 * double(at_) / double(text_.size()));
            const size_t frame_at = at_;
            if (!complete_frame_follows(channel_count)) {
                file_.notes.push_back(
                    fmt::format("frame {} is cut off: the data end before its last channel; it is left out",
                                take.frames));
                (void)frame_at;
                break;
            }
            for (int j = 0; j < skeleton.size(); ++j) {
                Quat R = Quat::Identity();
                Vec3 p = skeleton.rest_p[size_t(j)];
                bool is_translated = false;
                for (const Channel& channel : file_.channels[size_t(j)]) {
                    const double value = motion_number(j);
                    if (channel.is_rotation) {
                        R = R * axis_rotation(channel.axis, deg_to_rad(value));
                    } else {
                        p[channel.axis] = value;
                        is_translated = true;
                    }
                }
                rotations.push_back(R);
                if (is_translated) places.push_back(p);
            }
            ++take.frames;
        }
    }

    /// Near the end only: looks ahead whether all numbers of one more frame are there.
    bool complete_frame_follows(size_t channel_count) {
        if (text_.size() - at_ > channel_count * 400) return true;
        const size_t at = at_;
        size_t found = 0;
        while (found < channel_count && !next().empty()) ++found;
        at_ = at;
        return found == channel_count;
    }

    double motion_number(int joint) {
        skip_space();
        const char* first = text_.data() + at_;
        const char* last = text_.data() + text_.size();
        double value = 0.0;
        const auto [end, error] = std::from_chars(first, last, value);
        if (error == std::errc() && (end == last || is_space(*end)) && std::abs(value) <= largest_value) {
            at_ = size_t(end - text_.data());
            return value;
        }
        return number(fmt::format("frame {}, bone '{}'", file_.take.frames,
                                  printable(file_.skeleton.names[size_t(joint)])));
    }
};

}  // namespace

SkeletonFile parse_bvh(std::string_view text, const std::string& path) {
    return Parser(text, path).parse();
}

SkeletonFile read_bvh(const std::string& path) {
    return parse_bvh(read_file(path), path);
}

}  // namespace nb
