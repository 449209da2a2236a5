// The station Rest: which alignment a body stands in, what it is solved for, settings of the whole body, and
// the picked bone with its exact values. What is done here is one undoable change each.
#pragma once
#include <QWidget>
#include <array>
#include <optional>

#include "app/stage/stage_view.hpp"
#include "app/work/workspace.hpp"
#include "core/rest/edit.hpp"

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

class RestPanel : public QWidget {
    Q_OBJECT

  public:
    enum class Scope { bone, limb, body };

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
    void keep_copy();
    void forget_current();
    void write_rest(const QString& path);
    /// Shows or leaves the station: the bodies stand, the handle is there.
    void enter();
    void leave();
    void show_stand(StageView::Stand stand);
    int open_points() const;

    QCheckBox* fingers_box() const { return fingers_; }

  signals:
    void said(const QString& line);
    void failed(const QString& line);

  private:
    Workspace& workspace_;
    StageView& stage_;
    RestSheet& sheet_;
    Playback& playback_;
    QUndoStack& undo_;
    bool is_of_target_ = true;
    bool is_entered_ = false;
    double spread_before_ = 0.75;
    View view_before_ = View::three_quarter;
    QString picked_;
    RestState before_turn_;
    bool is_filling_ = false;

    BodySwitch* which_;
    QLabel* state_;
    std::array<QPushButton*, 3> stands_;
    QComboBox* names_;
    QPushButton* more_;
    QComboBox* stance_;
    QDoubleSpinBox* arms_;
    QCheckBox *straight_, *closed_, *level_clavicles_, *straight_spine_, *fingers_;
    QString fingers_of_;  ///< the take that the box was set by
    QDoubleSpinBox* thumb_;
    std::array<QDoubleSpinBox*, 4> dials_;
    QLabel* bone_;
    QComboBox *axes_, *scope_;
    std::array<QDoubleSpinBox*, 3> degrees_;
    QCheckBox* mirror_;
    QPushButton *solve_, *reset_, *copy_, *level_, *vertical_, *in_line_, *solve_both_;

    const Character* character(bool of_target) const;
    RestAlignment solved_for(bool of_target, const Stance& stance) const;
    Stance chosen_stance() const;
    std::vector<std::string> roles_in(Scope scope) const;
    void change(const RestAlignment& rest, const QString& text, const QString& topic = {});
    void change_state(const RestState& state, const QString& text, const QString& topic = {});
    void add_alignment(RestAlignment rest, const QString& text);
    void choose_alignment(int index);
    void rename_current(const QString& name);
    void fill_menu(QMenu* menu);
    void turn(bool of_target, int joint, const Quat& turn_W);
    void end_turn(bool is_kept);
    void refresh();
    void refresh_fields();
    void refresh_rows();
    QDoubleSpinBox* field(const QString& name, const QString& tip, double least, double most,
                          const QString& unit);
};

}  // namespace nb
