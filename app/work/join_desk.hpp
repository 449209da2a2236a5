// The plan of a joined motion in hand in the window: edited, kept with the library, joined whenever it changes, made a
// take. Knows no widgets.
#pragma once
#include <QString>
#include <QTimer>
#include <memory>
#include <vector>

#include "app/work/library_desk.hpp"
#include "core/library/joined.hpp"

namespace nb {

class JoinDesk : public LibraryDesk {
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
    std::vector<std::pair<int, int>> spans() const;
    /// How long each clip of the plan is on its body, frames, before it is cut; 0: not known.
    int frames_of(const std::string& take) const;
    /// Why the plan in hand cannot be joined; empty: it can, or is being.
    const QString& trouble() const { return trouble_; }
    bool is_joining() const { return joining_ != nullptr; }
    /// A take of the library, put on the stage.
    void make_take();

  signals:
    void ready();  ///< what came of it

  private:
    JoinPlan plan_;
    std::vector<KeptJoin> kept_;
    std::shared_ptr<const Joined> joined_;
    std::shared_ptr<CarriedTakes> carried_ = std::make_shared<CarriedTakes>();
    Cancelled joining_;
    QTimer join_soon_;
    QString trouble_;

    void set_plan(const JoinPlan& plan);
    void join();
    void look_at_library();
};

}  // namespace nb
