// Controls: the control rig of the shown target on its body, and what is set of the node in hand and of its limb.
#pragma once
#include <QWidget>
#include <functional>
#include <string>
#include <vector>

#include "app/work/controls_desk.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QToolButton;

namespace nb {

class ControlsView;

class ControlsPage : public QWidget {
    Q_OBJECT

  public:
    ControlsPage(Workspace& workspace, ControlsDesk& desk, QWidget* parent = nullptr);
    void refresh();

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    Workspace& workspace_;
    ControlsDesk& desk_;
    ControlsView* view_;
    bool is_filling_ = false;
    QToolButton* by_names_;
    QPushButton* keep_;
    QLabel *told_, *node_word_, *limb_word_;
    QComboBox *takes_, *keyed_, *share_node_;
    QCheckBox *place_, *turn_, *both_;
    QDoubleSpinBox *share_, *way_;
    std::vector<QWidget*> of_rig_, of_node_, of_limb_;

    QLayout* make_head();
    QLayout* make_node_fields();
    QLayout* make_limb_fields();
    /// Of the node in hand: the one it is of or carries the share of; empty: none.
    std::string limb() const;
    void set_limb(int topic, const std::function<void(LimbKeys&)>& edit);
    void fill_lists();
};

}  // namespace nb
