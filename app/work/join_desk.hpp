// The plan of a joined motion in hand in the window: edited, kept with the library, joined whenever it changes, made a
// take. Knows no widgets.
#pragma once
#include <QObject>
#include <QString>
#include <QTimer>
#include <memory>
#include <optional>
#include <vector>

#include "app/work/jobs.hpp"
#include "app/work/workspace.hpp"
#include "core/library/joined.hpp"

class QUndoStack;

namespace nb {

class JoinDesk : public QObject {
    Q_OBJECT

  public:
    JoinDesk(Workspace& workspace, QUndoStack& undo, QObject* parent = nullptr);
    ~JoinDesk() override;

    const JoinPlan& plan() const { return plan_; }
    /// Changes what `edit` changes, to be undone; changes of the same `topic` in a row are one.
    void change(const QString& text, int topic, const std::function<void(JoinPlan&)>& edit);

    /// The shown take, on the shown character, as the last clip; the first clip says on which character.
    void add_shown();
    void take_out(int clip);
    /// One place earlier (-1) or later (1).
    void move(int clip, int by);

    // Kept with the library.
    const std::vector<KeptJoin>& kept() const { return kept_; }
    void take_up(int kept);
    void keep();
    bool is_as_kept() const;

    /// As the plan last was when it could be joined; null before.
    const Joined* joined() const { return joined_.get(); }
    /// Of each clip of `joined` the frames of the joined motion it has a part in.
    const std::vector<std::pair<int, int>>& spans() const { return spans_; }
    /// How long each clip of the plan is on its body, frames, before it is cut; 0: not known.
    int frames_of(const std::string& take) const;
    /// Why the plan in hand cannot be joined; empty: it can, or is being.
    const QString& trouble() const { return trouble_; }
    bool is_joining() const { return joining_ != nullptr; }
    /// A take of the library, put on the stage.
    void make_take();
    /// Until what runs is over (tests).
    void wait() { jobs_.wait(); }

  signals:
    void changed();  ///< the plan, or what is kept
    void ready();    ///< what came of it
    void said(const QString& line);
    void failed(const QString& line);

  private:
    Workspace& workspace_;
    QUndoStack& undo_;
    Jobs jobs_;
    JoinPlan plan_;
    std::vector<KeptJoin> kept_;
    std::shared_ptr<const Joined> joined_;
    std::vector<std::pair<int, int>> spans_;
    std::shared_ptr<CarriedTakes> carried_ = std::make_shared<CarriedTakes>();
    Cancelled joining_;
    QTimer join_soon_;
    QString trouble_;
    QString looked_at_;  ///< the library's folder

    void set_plan(const JoinPlan& plan);
    Library library() const;
    void join();
    void look_at_library();
};

/// The frames of the joined motion each clip has a part in, overlaps in both.
std::vector<std::pair<int, int>> spans_of(const Joined& joined);

}  // namespace nb
