// What a person says of a take on a target after looking: of the whole, of single events, of frames of their
// own. Kept with the pairing, by the take; frames count as the take's file does, so that a trim or another
// rate leaves them where they are.
#pragma once
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "core/motion/edit.hpp"
#include "core/review/events.hpp"

namespace nb {

/// What becomes of the take on this target.
enum class Verdict { none, accepted, polish, capture };
/// "none", "accepted", "polish", "capture": as in documents.
std::string_view verdict_name(Verdict verdict);

/// An event that somebody has looked at. It is known again by measure, row and place, and stays judged while
/// it is no larger than a quarter more than it was then.
struct JudgedEvent {
    enum class State { accepted, done };
    std::string measure, row;
    int first = 0, last = 0;  ///< frames of the file, the last not included
    double size = 0.0;        ///< when it was judged
    State state = State::accepted;
    std::string note;
    bool operator==(const JudgedEvent&) const = default;
};
std::string_view state_name(JudgedEvent::State state);

/// A frame somebody has marked.
struct MarkedFrame {
    int frame = 0;  ///< of the file
    std::string note;
    bool operator==(const MarkedFrame&) const = default;
};

struct TakeJudgement {
    Verdict verdict = Verdict::none;
    std::string note;
    std::vector<JudgedEvent> events;
    std::vector<MarkedFrame> frames;  ///< rising
    bool operator==(const TakeJudgement&) const = default;
    bool is_empty() const { return *this == TakeJudgement(); }
};
/// By `Take::key`.
using Judgements = std::map<std::string, TakeJudgement>;

/// What was said of an event (its frames those in force); null when nothing holds for it.
const JudgedEvent* judged(const TakeJudgement& judgement, const ReviewEvent& event, const FileFrames& frames);
/// Says it; what was said of the same place before goes.
void judge(TakeJudgement& judgement, const ReviewEvent& event, const FileFrames& frames,
           JudgedEvent::State state, const std::string& note);
/// Takes back what was said of an event.
void judge_no_more(TakeJudgement& judgement, const ReviewEvent& event, const FileFrames& frames);
/// Marks a frame of the file; an empty note marks it without one. Marked again it has the new note.
void mark_frame(TakeJudgement& judgement, int file_frame, const std::string& note);
void unmark_frame(TakeJudgement& judgement, int file_frame);
/// Events nobody has judged.
int open_count(const TakeJudgement& judgement, const std::vector<ReviewEvent>& events,
               const FileFrames& frames);

}  // namespace nb
