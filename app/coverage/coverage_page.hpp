// The library at full width: which take works on whom; the cell in hand in words, with what can be done; batches below.
#pragma once
#include <QWidget>

#include "app/coverage/coverage_table.hpp"
#include "app/work/coverage_desk.hpp"

class QComboBox;
class QGridLayout;
class QLabel;
class QLineEdit;
class QToolButton;
class QVBoxLayout;

namespace nb {

class CoveragePage : public QWidget {
    Q_OBJECT

  public:
    CoveragePage(Workspace& workspace, QUndoStack& undo, QWidget* parent = nullptr);
    CoverageDesk& desk() { return desk_; }
    CoverageTable& table() { return *table_; }
    void set_shown(bool on);

  signals:
    void opened(const QString& take, const QString& character, int frame);
    void left();
    void said(const QString& line);
    void failed(const QString& line);

  private:
    CoverageDesk desk_;
    std::shared_ptr<const Coverage> shown_;
    QLabel *count_, *name_, *words_, *batch_words_;
    QLineEdit *filter_, *note_;
    QToolButton *open_, *accept_, *again_, *all_, *order_;
    QWidget *cell_bar_, *batches_;
    CoverageTable* table_;
    std::optional<CoverageTable::Cell> hovered_;

    QWidget* make_top();
    QWidget* make_cell_bar();
    QWidget* make_batch_bar();
    std::optional<CoverageTable::Cell> cell_in_hand() const;
    void refresh_table();
    void refresh_cell();
    void refresh_batches();
    void accept();
    void choose_order();
    void write_table();
};

}  // namespace nb
