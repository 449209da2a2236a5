// The station Rest: which alignment a body stands in, what it is solved for, settings of the whole body, and
// the picked bone with its exact values. What is done here is one undoable change each.
#pragma once
#include <QWidget>
#include <array>
#include <optional>

#include "app/stage/stage_view.hpp"
#include "app/stations/rest/bone_form.hpp"
#include "app/stations/rest/rest_edits.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QUndoStack;
class QMenu;

namespace nb {

class BodySwitch;
class Playback;
class RestSheet;
class StanceForm;

class RestPanel : public QWidget {
    Q_OBJECT

  public:
    using Scope = BoneForm::Scope;

    RestPanel(Workspace& workspace, StageView& stage, RestSheet& sheet, Playback& playback, QUndoStack& undo,
              QWidget* parent = nullptr);

    bool is_of_target() const { return is_of_target_; }
    void show_body(bool of_target);
    void pick(const QString& role);
    QString picked() const { return picked_; }
    /// Both bodies into the T, as set in the panel.
    void solve_both();
    /// Of the picked role, as the scope says.
    void solve(Scope scope);
    void reset(Scope scope);
    void copy_from_other(Scope scope);
    void snap(Snap snap);
    void set_correction_of_picked(const Vec3& deg);
    void set_dials_of_body(const BodyDials& dials);
    /// Further alignments, each in force at once.
    void take_from_frame();
    void take_from_file(const QString& path);
    void forget_current();
    void write_rest(const QString& path);
    /// Shows or leaves the station: the bodies stand, the handle is there.
    void enter();
    void leave();
    void show_stand(StageView::Stand stand);
    int open_points();

    QCheckBox* fingers_box() const { return fingers_; }

    RestEdits& edits() { return edits_; }
    StanceForm& stance() { return *stance_; }

  protected:
    void showEvent(QShowEvent* event) override;

  signals:
    void said(const QString& line);
    void failed(const QString& line);

  private:
    Workspace& workspace_;
    StageView& stage_;
    RestSheet& sheet_;
    Playback& playback_;
    QUndoStack& undo_;
    RestEdits edits_;
    bool is_of_target_ = true;
    bool is_entered_ = false;
    double spread_before_ = 0.75;
    View view_before_ = View::three_quarter;
    bool was_playing_ = false;
    bool are_rows_stale_ = true;
    /// Of which document the stance is in the form, as it was in force then.
    std::pair<DocumentKey, Stance> shown_stance_;
    QString picked_;
    RestState before_turn_;
    bool is_filling_ = false;

    BodySwitch* which_;
    QLabel* state_;
    std::array<QPushButton*, 3> stands_;
    QComboBox* names_;
    QPushButton* more_;
    StanceForm* stance_;
    QCheckBox* fingers_;
    QString fingers_of_;  ///< the take that the box was set by
    std::array<QDoubleSpinBox*, 4> dials_;
    BoneForm* bone_;
    QPushButton* solve_both_;

    const Character* character(bool of_target) const;
    std::vector<std::string> roles_in(Scope scope) const;
    void fill_menu(QMenu* menu);
    void turn(bool of_target, int joint, const Quat& turn_W);
    void end_turn(bool is_kept);
    void follow();
    void refresh();
    void refresh_rows();
};

}  // namespace nb
