// Beside the rails: the picked role with its evidence, what to do with it, what is still open, and the tray
// of bones without a role.
#pragma once
#include <QWidget>

#include "app/workspace.hpp"

class QCheckBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QUndoStack;

namespace nb {

class RailsView;
class StageView;

class RolesPanel : public QWidget {
    Q_OBJECT

  public:
    RolesPanel(Workspace& workspace, StageView& stage, RailsView& rails, QUndoStack& undo,
               QWidget* parent = nullptr);
    /// Gives the picked rung to a bone of the target, and its mirror where that is wanted; one step to undo.
    void give(int joint);
    QListWidget* tray() const { return tray_; }
    QCheckBox* mirror_box() const { return mirror_; }
    QLineEdit* search() const { return search_; }

  private:
    Workspace& workspace_;
    StageView& stage_;
    RailsView& rails_;
    QUndoStack& undo_;
    QLabel *state_, *role_, *evidence_;
    QCheckBox* mirror_;
    QPushButton *next_, *take_away_;
    QLineEdit* search_;
    QListWidget* tray_;

    void take_away(const QString& role);
    void refresh();
    void refresh_tray();
};

}  // namespace nb
