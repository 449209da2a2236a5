// Joining: the row of clips, what is set of the one in hand or of a seam, and the way to a take of its own.
#pragma once
#include <QWidget>
#include <functional>
#include <vector>

#include "app/work/join_desk.hpp"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QToolButton;

namespace nb {

class JoinStrip;

class JoinPage : public QWidget {
    Q_OBJECT

  public:
    explicit JoinPage(JoinDesk& desk, QWidget* parent = nullptr);
    JoinStrip& strip() { return *strip_; }
    void refresh();

  private:
    JoinDesk& desk_;
    JoinStrip* strip_;
    bool is_filling_ = false;
    int topics_ = 0;
    std::vector<std::function<void()>> fill_;  ///< each field shows the plan
    QLineEdit* name_;
    QComboBox *kept_, *meets_;
    QToolButton* keep_;
    QPushButton* make_;
    QLabel* told_;
    std::vector<QWidget*> of_clip_, of_seam_, of_row_;

    QLayout* make_head();
    QLayout* make_fields();      ///< of the clip or seam in hand
    QLayout* make_row_fields();  ///< of the whole row
    QLabel* word(const QString& text, std::vector<QWidget*>& of);
    QDoubleSpinBox* number(const QString& name, const QString& tip, double high, int decimals,
                           const QString& unit, const std::function<double()>& is,
                           const std::function<void(JoinPlan&, double)>& set);
    QToolButton* button(const QString& text, const QString& tip, const std::function<void()>& run);
    JoinPlan::Clip* clip_of(JoinPlan& plan) const;
    Seam* seam_of(JoinPlan& plan) const;
};

}  // namespace nb
