// The panel of a stream: how it stands and what to do, who is followed, the line out, the made-up device.
#pragma once
#include <QWidget>

#include "app/work/live_desk.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QToolButton;

namespace nb {

class LivePanel : public QWidget {
    Q_OBJECT

  public:
    LivePanel(Workspace& workspace, LiveDesk& desk, QWidget* parent = nullptr);
    /// Listens at the address that stands there, or no more.
    void listen_or_not();

  private:
    Workspace& workspace_;
    LiveDesk& desk_;
    QLabel *state_, *remedy_, *figures_, *sent_, *cut_off_words_;
    QLineEdit *address_, *to_;
    QPushButton* listen_;
    QComboBox *performer_, *way_out_, *device_way_, *beside_;
    QDoubleSpinBox *buffer_, *rate_;
    QToolButton *own_body_, *longer_, *send_, *play_, *halt_, *finish_;
    QCheckBox *beyond_, *other_, *name_;
    QWidget* cut_off_;
    QComboBox* frozen_;
    std::vector<QDoubleSpinBox*> shares_;
    QDoubleSpinBox* noise_;
    bool is_filling_ = false;

    void showEvent(QShowEvent* event) override;
    void refresh();
    void list_takes();
    void look();
    void give_faults();
    QWidget* make_device();
};

}  // namespace nb
