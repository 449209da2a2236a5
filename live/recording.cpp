#include "live/recording.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <map>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/tab_fields.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/take.hpp"
#include "core/files/bvh.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view times_head = "number,sent_s,arrived_s\n";
constexpr std::string_view taken_line = "\n# taken\n";
/// More is no gap of a stream: the numbers are broken.
constexpr long longest_gap = 100000;

int open_new(const std::string& path) {
    const int file = ::open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_APPEND | O_CLOEXEC, 0644);
    if (file < 0)
        throw FileError(path, fmt::format("cannot be made: {}", std::strerror(errno)),
                        "choose another name, or a folder you may write to");
    return file;
}

}  // namespace

Recording::Recording(const std::string& stem, const std::string& performer, const StreamSkeleton& skeleton)
    : stem_(stem) {
    std::error_code error;
    fs::create_directories(fs::path(stem).parent_path(), error);
    motion_ = open_new(stem + ".live.bvh");
    try {
        times_ = open_new(stem + ".live.csv");
    } catch (...) {
        ::close(motion_);
        fs::remove(stem + ".live.bvh", error);
        throw;
    }
    // How many frames there will be is not known: the data say.
    give(motion_, skeleton.header + "MOTION\nFrames: 0\nFrame Time: 0.0083333\n", stem + ".live.bvh");
    give(times_, times_head, stem + ".live.csv");
    give(times_, fmt::format("# performer {}\n", performer), stem + ".live.csv");
}

Recording::~Recording() {
    close();
}

void Recording::close() {
    if (motion_ >= 0) {
        ::fsync(motion_);
        ::close(motion_);
    }
    if (times_ >= 0) {
        ::fsync(times_);
        ::close(times_);
    }
    motion_ = times_ = -1;
}

bool Recording::give(int file, std::string_view text, const std::string& path) {
    while (!text.empty() && fault_.empty()) {
        const ssize_t written = ::write(file, text.data(), text.size());
        if (written < 0 && errno == EINTR) continue;
        if (written <= 0) {
            fault_ = FileError(path, fmt::format("takes no more: {}", std::strerror(errno)),
                               "free some space; what came before is whole")
                         .what();
            return false;
        }
        text.remove_prefix(size_t(written));
    }
    return fault_.empty();
}

bool Recording::add(const StreamFrame& frame) {
    if (motion_ < 0 || !fault_.empty()) return false;
    last_number_ = frame.number;
    last_sent_s_ = frame.sent_s;
    text_ = frame.line;
    text_ += '\n';
    if (!give(motion_, text_, stem_ + ".live.bvh")) return false;
    ++frames_;
    return give(times_, fmt::format("{},{:.6f},{:.6f}\n", frame.number, frame.sent_s, frame.arrived_s),
                stem_ + ".live.csv");
}

void Recording::mark(const std::string& word) {
    if (times_ < 0) return;
    std::string plain = word;
    std::replace_if(
        plain.begin(), plain.end(), [](char c) { return c == '\n' || c == '\r'; }, ' ');
    give(times_, fmt::format("# mark {} {}\n", last_number_, plain), stem_ + ".live.csv");
}

namespace {

struct Times {
    std::vector<long> numbers;
    std::vector<double> sent_s;
    std::vector<std::pair<long, std::string>> marks;
};

Times read_times(const std::string& path) {
    const std::string text = read_file(path);
    std::string_view left = text;
    Times times;
    while (!left.empty()) {
        const bool is_whole = left.find('\n') != std::string_view::npos;
        std::string_view line = take_line(left);
        if (!is_whole) break;  // cut off
        if (line.starts_with("# mark ")) {
            line.remove_prefix(7);
            long number = 0;
            const size_t blank = std::min(line.find(' '), line.size());
            if (read_number(line.substr(0, blank), number))
                times.marks.emplace_back(number, std::string(line.substr(std::min(blank + 1, line.size()))));
            continue;
        }
        long number = 0;
        double sent = 0.0;
        const size_t comma = line.find(',');
        if (comma == std::string_view::npos || !read_number(line.substr(0, comma), number) ||
            !read_number(line.substr(comma + 1), sent))
            continue;
        times.numbers.push_back(number);
        times.sent_s.push_back(sent);
    }
    return times;
}

/// Seconds a number: the slope between first and last, by the sender's clock; a whole rate where it is near one.
double frame_time_of(const Times& times, std::string& text) {
    double time_s = 1.0 / 60.0;
    if (times.numbers.size() > 1) {
        const auto [low, high] = std::minmax_element(times.numbers.begin(), times.numbers.end());
        const double span = times.sent_s[size_t(high - times.numbers.begin())] -
                            times.sent_s[size_t(low - times.numbers.begin())];
        if (span > 0.0 && *high > *low) time_s = span / double(*high - *low);
    }
    const double fps = 1.0 / std::clamp(time_s, 1e-4, 10.0);
    const double whole = std::round(fps);
    // Seconds are told to 6 decimals, and clocks differ.
    if (whole >= 1.0 && std::abs(fps - whole) < 0.01 * whole) time_s = 1.0 / whole;
    text = fmt::format("{:.7f}", time_s);
    return time_s;
}

}  // namespace

RecordedTake take_of_recording(const std::string& stem, const std::string& character_id,
                               const std::string& character_path) {
    RecordedTake made;
    made.path = stem + ".bvh";
    made.document = stem + ".take.json";
    const std::string raw = stem + ".live.bvh";
    const Times times = read_times(stem + ".live.csv");
    SkeletonFile file = read_bvh(raw);
    Take& came = file.take;
    const size_t count = std::min(size_t(came.frames), times.numbers.size());
    if (count == 0) throw FileError(raw, "holds no frame", "nothing came while it was recorded");
    std::map<long, size_t> by_number;
    long highest = -1;
    for (size_t i = 0; i < count; ++i) {
        if (!by_number.emplace(times.numbers[i], i).second) {
            ++made.twice;
            continue;
        }
        if (times.numbers[i] < highest) ++made.out_of_order;
        highest = std::max(highest, times.numbers[i]);
    }
    const size_t joints = size_t(came.joints), own = came.translated.size();
    Take take = came;
    std::vector<Quat> R;
    std::vector<Vec3> p;
    take.frame_time_s = frame_time_of(times, take.frame_time_text);
    int frames = 0;
    std::map<long, int> frame_of;
    const auto add = [&](size_t a, size_t b, double u) {
        for (size_t j = 0; j < joints; ++j)
            R.push_back(came.R[a * joints + j].slerp(u, came.R[b * joints + j]));
        for (size_t j = 0; j < own; ++j)
            p.push_back(came.p[a * own + j] + u * (came.p[b * own + j] - came.p[a * own + j]));
        ++frames;
    };
    for (auto it = by_number.begin(); it != by_number.end(); ++it) {
        if (it != by_number.begin()) {
            const auto before = std::prev(it);
            const long missing = it->first - before->first - 1;
            if (missing > longest_gap)
                throw FileError(raw, fmt::format("its numbers leap from {} to {}", before->first, it->first),
                                "cut the recording there");
            if (missing > 0) made.gaps.push_back({frames, frames + int(missing)});
            for (long n = 1; n <= missing; ++n)
                add(before->second, it->second, double(n) / double(missing + 1));
        }
        frame_of[it->first] = frames;
        add(it->second, it->second, 0.0);
    }
    take.R = std::move(R);
    take.p = std::move(p);
    take.frames = frames;
    made.frames = frames;
    made.fps = take.nominal_fps();
    for (const auto& [number, word] : times.marks) {
        const auto at = frame_of.lower_bound(number);
        made.marks.push_back({at == frame_of.end() ? frames - 1 : at->second, word});
    }
    file.take = std::move(take);
    int lost = 0;
    for (const StreamGap& gap : made.gaps) lost += gap.last - gap.first;
    if (lost > 0)
        made.notes.push_back(fmt::format("{} of {} frames never came, in {} gaps: they are bridged", lost,
                                         frames, made.gaps.size()));
    if (made.twice > 0) made.notes.push_back(fmt::format("{} frames came twice", made.twice));
    if (made.out_of_order > 0)
        made.notes.push_back(
            fmt::format("{} frames came out of order and stand in theirs", made.out_of_order));

    TakeDocument document;
    document.id = make_uuid();
    document.file = fs::path(made.path).filename().string();
    document.character_id = character_id;
    if (!character_path.empty())
        document.character_path = fs::absolute(character_path)
                                      .lexically_normal()
                                      .lexically_relative(fs::absolute(stem).lexically_normal().parent_path())
                                      .generic_string();
    document.frame_time_text = file.take.frame_time_text;
    document.frames = frames;
    document.trim_last = frames;
    document.notes =
        fmt::format("recorded live{}{}", made.notes.empty() ? "" : "; ", fmt::join(made.notes, "; "));
    document.other = Json::object();
    document.gaps = made.gaps;
    document.marks = made.marks;
    write_file(made.path, format_bvh(file));
    write_file(made.document, format_document(take_document(document)));
    // Whatever becomes of the take: nothing waits here any more.
    if (const int told = ::open((stem + ".live.csv").c_str(), O_WRONLY | O_APPEND | O_CLOEXEC); told >= 0) {
        [[maybe_unused]] const auto written = ::write(told, taken_line.data(), taken_line.size());
        ::close(told);
    }
    return made;
}

namespace {

/// Whether a take was made of it.
bool is_taken(const std::string& times) {
    std::ifstream file(times, std::ios::binary | std::ios::ate);
    const auto size = std::streamoff(file.tellg());
    const auto tail = std::min(size, std::streamoff(taken_line.size()));
    std::string end(size_t(std::max<std::streamoff>(0, tail)), ' ');
    file.seekg(size - tail);
    file.read(end.data(), tail);
    return end == taken_line;
}

}  // namespace

std::vector<std::string> unfinished_recordings(const std::string& folder) {
    std::vector<std::string> stems;
    for (const fs::path& path : sorted_entries(folder)) {
        const std::string text = path.string();
        constexpr std::string_view ending = ".live.bvh";
        if (!text.ends_with(ending)) continue;
        const std::string stem = text.substr(0, text.size() - ending.size());
        std::error_code error;
        if (fs::exists(stem + ".live.csv", error) && !is_taken(stem + ".live.csv")) stems.push_back(stem);
    }
    return stems;
}

}  // namespace nb
