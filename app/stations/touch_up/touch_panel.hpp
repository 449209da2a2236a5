// The panel of Touch-up: what can be added, the layers, and what is in hand.
#pragma once
#include <QWidget>

#include "app/stage/stage_view.hpp"
#include "app/work/touch_edits.hpp"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QToolButton;
class QUndoStack;

namespace nb {

class TouchForm;

class TouchPanel : public QWidget {
    Q_OBJECT

  public:
    TouchPanel(Workspace& workspace, StageView& stage, Playback& playback, TouchEdits& edits,
               QUndoStack& undo, QWidget* parent = nullptr);
    void enter();
    void leave();
    /// Adds one of a kind about the shown frame, on the bone in hand.
    void add(TouchKind kind);
    /// To the next place where a touch-up begins, is whole, goes or is gone, or the one before.
    void step_key(int by);
    /// A bone by its role is in hand, on the target.
    void pick(const QString& role);

  signals:
    void said(const QString& line);

  private:
    Workspace& workspace_;
    StageView& stage_;
    Playback& playback_;
    TouchEdits& edits_;
    QUndoStack& undo_;
    QLabel *state_, *habit_;
    QListWidget* layers_;
    QLineEdit* name_;
    QComboBox* level_;
    QDoubleSpinBox* weight_;
    QWidget* layer_box_;
    TouchForm* form_;
    bool is_entered_ = false;
    bool is_filling_ = false;
    /// What is being turned or moved by its handle.
    struct Dragged {
        TouchUp touch;  ///< as it was when it was taken; nothing yet when it is new
        Quat R_WA =
            Quat::Identity();  ///< its axes: of a turn in the aligned rest, of a place in the shown frame
        bool is_new = true;
        bool is_pushed = false;
        int topic = 0;
    };
    std::optional<Dragged> dragged_;
    QToolButton *by_hoops_, *by_arms_;

    void begin_drag(TouchKind kind);
    void drag_to(const TouchUp& touch);
    void end_drag(bool is_kept);
    Quat heading_here() const;
    Quat support_here(const std::string& name) const;
    std::string picked() const;
    TouchSpan about_here() const;
    void refresh();
    void follow_selection();
    void turn(const Quat& turn_W);
    void place(const Vec3& by_m);
    void make_layer_box(QLayout* column);
    TouchAt chosen_layer() const;
};

}  // namespace nb
