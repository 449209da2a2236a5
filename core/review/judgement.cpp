#include "core/review/judgement.hpp"

#include <algorithm>
#include <array>

namespace nb {

namespace {

constexpr double grown_by = 1.25;  ///< larger than this share of what was judged: it is another thing

bool is_there(const JudgedEvent& said, const ReviewEvent& event, const FileFrames& frames) {
    return said.measure == event.measure && said.row == event.row &&
           frames.to_file(event.first) < said.last && said.first < frames.to_file(event.last);
}

}  // namespace

std::string_view verdict_name(Verdict verdict) {
    constexpr std::array<std::string_view, 4> names{"none", "accepted", "polish", "capture"};
    return names[size_t(verdict)];
}

std::string_view state_name(JudgedEvent::State state) {
    return state == JudgedEvent::State::accepted ? "accepted" : "done";
}

const JudgedEvent* judged(const TakeJudgement& judgement, const ReviewEvent& event,
                          const FileFrames& frames) {
    for (const JudgedEvent& said : judgement.events)
        if (is_there(said, event, frames) && event.size <= grown_by * said.size) return &said;
    return nullptr;
}

void judge_no_more(TakeJudgement& judgement, const ReviewEvent& event, const FileFrames& frames) {
    std::erase_if(judgement.events, [&](const JudgedEvent& said) { return is_there(said, event, frames); });
}

void judge(TakeJudgement& judgement, const ReviewEvent& event, const FileFrames& frames,
           JudgedEvent::State state, const std::string& note) {
    judge_no_more(judgement, event, frames);
    judgement.events.push_back({event.measure, event.row, frames.to_file(event.first),
                                std::max(frames.to_file(event.last), frames.to_file(event.first) + 1),
                                event.size, state, note});
}

void unmark_frame(TakeJudgement& judgement, int file_frame) {
    std::erase_if(judgement.frames, [&](const MarkedFrame& mark) { return mark.frame == file_frame; });
}

void mark_frame(TakeJudgement& judgement, int file_frame, const std::string& note) {
    unmark_frame(judgement, file_frame);
    const auto at = std::find_if(judgement.frames.begin(), judgement.frames.end(),
                                 [&](const MarkedFrame& mark) { return mark.frame > file_frame; });
    judgement.frames.insert(at, {file_frame, note});
}

int open_count(const TakeJudgement& judgement, const std::vector<ReviewEvent>& events,
               const FileFrames& frames) {
    return int(std::count_if(events.begin(), events.end(),
                             [&](const ReviewEvent& event) { return !judged(judgement, event, frames); }));
}

}  // namespace nb
