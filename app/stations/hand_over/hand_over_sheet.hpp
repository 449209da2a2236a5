// The files of an order, a row each: before they are written what they will be, afterwards what they are.
#pragma once
#include <QWidget>

#include "app/work/hand_over_desk.hpp"

class QLabel;
class QTableWidget;
class QToolButton;

namespace nb {

class HandOverSheet : public QWidget {
    Q_OBJECT

  public:
    explicit HandOverSheet(HandOverDesk& desk, QWidget* parent = nullptr);
    void refresh();
    QTableWidget& table() { return *table_; }
    /// The pairs of the chosen rows leave the order.
    void take_out();

  protected:
    bool eventFilter(QObject* of, QEvent* event) override;

  private:
    HandOverDesk& desk_;
    QLabel* count_;
    QToolButton* take_out_;
    QTableWidget* table_;

    void refresh_count();
    /// What is said of a row, and whether it wants attention.
    std::pair<QString, bool> state_of(const HandOverRow& row) const;
};

}  // namespace nb
