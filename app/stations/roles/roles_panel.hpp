// Beside the rails: the picked role with its evidence, what to do with it, what is still open, and the tray
// of bones without a role.
#pragma once
#include <QWidget>

#include "app/work/workspace.hpp"
#include "core/body/propose.hpp"

class QCheckBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QUndoStack;

namespace nb {

class BodySwitch;
class RailsView;
class StageView;

class RolesPanel : public QWidget {
    Q_OBJECT

  public:
    RolesPanel(Workspace& workspace, StageView& stage, RailsView& rails, QUndoStack& undo,
               QWidget* parent = nullptr);
    /// Gives the picked rung, or the picked chain as a whole, to a bone of the shown body, and its mirror
    /// where that is wanted; one step to undo.
    void give(int joint);
    /// Several bones at once, from the body outward: to the picked chain, or to the roles from the picked
    /// rung on; one step to undo.
    void give_several(std::vector<int> joints);
    /// Everything that was not given by hand is found again so that it fits what was.
    void solve_again();
    /// What is proposed is right: kept as if given by hand, and its mirror where that is wanted.
    void confirm(const QString& role, const QString& chain);
    void show_body(bool of_target);
    /// The roles of another character, as far as they fit; one step to undo.
    void take_from(const QString& document);
    QCheckBox* settled_box() const { return settled_; }
    QListWidget* check_list() const { return check_; }
    QListWidget* tray() const { return tray_; }
    QCheckBox* mirror_box() const { return mirror_; }
    QLineEdit* search() const { return search_; }
    QPushButton* several_button() const { return several_; }
    QPushButton* again_button() const { return again_; }
    QPushButton* confirm_button() const { return confirm_; }
    QPushButton* hands_button() const { return hands_; }

  signals:
    void body_shown(bool of_target);
    void said(const QString& line);

  private:
    Workspace& workspace_;
    StageView& stage_;
    RailsView& rails_;
    QUndoStack& undo_;
    BodySwitch* which_;
    QLabel *state_, *role_, *evidence_;
    QCheckBox *mirror_, *settled_;
    QPushButton *next_, *take_away_, *from_, *plan_, *again_, *confirm_, *several_, *hands_;
    QLineEdit* search_;
    QListWidget *check_, *tray_;

    void take_away(const QString& role);
    void take_away_selected();
    std::vector<int> selected_in_tray() const;
    RoleRequest request_of(const LoadedFile& file) const;
    void change(const RoleMap& roles, const QString& text);
    bool is_kept_settled();
    void set_plan(const QString& plan);
    void fill_menus();
    void refresh();
    void refresh_check();
    void refresh_tray();
};

}  // namespace nb
