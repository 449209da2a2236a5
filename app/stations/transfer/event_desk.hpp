// The events of the result on the stage, as they are worked off: gone to, remedied, accepted or done with a
// note. The panel shows the worst, the sheet all of them.
#pragma once
#include <QObject>
#include <QUndoStack>

#include "app/work/commands.hpp"
#include "app/work/playback.hpp"

namespace nb {

class EventDesk : public QObject {
    Q_OBJECT

  public:
    EventDesk(Workspace& workspace, Playback& playback, QUndoStack& undo, QObject* parent = nullptr);

    /// Worst first; empty while nothing is measured.
    const std::vector<ReviewEvent>& events() const;
    /// What was said of it; null when it is open.
    const JudgedEvent* said_of(int event) const;
    int open_count() const;
    /// The one in hand; -1 for none.
    int current() const { return current_; }
    void choose(int event);
    /// To the frame, and says it.
    void go_to(int event);
    /// The next one (or the one before) of those still open, by frame; round the end.
    void step(int by);
    void remedy(int event, int remedy);
    void judge(int event, JudgedEvent::State state, const QString& note);
    void judge_no_more(int event);

    void set_verdict(Verdict verdict);
    void set_note(const QString& note);
    /// A frame of the take in force.
    void mark_frame(int frame, const QString& note);
    void unmark_frame(int frame);
    std::vector<MarkedFrame> marks() const { return workspace_.marked_frames(); }

  signals:
    void changed();          ///< events or what was said of them
    void current_changed();  ///< another one is in hand
    void said(const QString& line);
    /// A remedy that lies in another place: the rest of a role, the contact of a foot at a frame.
    void rest_wanted(const QString& role);
    /// The bone of a role, to be touched up at the shown frame.
    void touch_wanted(const QString& role);
    void contact_wanted(const QString& foot, int frame);

  private:
    Workspace& workspace_;
    Playback& playback_;
    QUndoStack& undo_;
    int current_ = -1;

    void say(const QString& text, const std::function<void(TakeJudgement&)>& edit);
    bool has(int event) const { return event >= 0 && event < int(events().size()); }
};

}  // namespace nb
