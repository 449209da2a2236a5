// Takes x characters as a drawing: only what is seen is drawn, so that a hundred thousand cells scroll as one.
#pragma once
#include <QAbstractScrollArea>
#include <QString>
#include <optional>
#include <vector>

#include "core/batch/coverage.hpp"

namespace nb {

class CoverageTable : public QAbstractScrollArea {
    Q_OBJECT

  public:
    enum class Sort { by_name, worst_first };
    enum class Group { none, plan, tags, moves };
    enum class Only { all, outside, stale, failed, not_tried };
    struct Cell {
        size_t take = 0, character = 0;
        bool operator==(const Cell&) const = default;
    };

    explicit CoverageTable(QWidget* parent = nullptr);
    /// It stays as long as it is shown.
    void set_table(const Coverage* table);
    void set_filter(const QString& text);
    void set_sort(Sort sort);
    void set_group(Group group);
    void set_only(Only only);

    std::optional<Cell> picked() const { return picked_; }
    void pick(const std::optional<Cell>& cell);
    /// Rows as they stand: takes, by their places in the table; -1: the name of a group.
    const std::vector<int>& rows() const { return rows_; }
    const std::vector<int>& columns() const { return columns_; }
    const std::vector<QString>& group_names() const { return group_names_; }
    /// Where a cell stands, in the viewport.
    QRect rect_of(const Cell& cell) const;

  signals:
    void picked_changed();  ///< by a right click or the arrows; a left click opens, too
    void hovered(bool on, size_t take, size_t character);
    void opened(size_t take, size_t character);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;
    bool viewportEvent(QEvent* event) override;
    void changeEvent(QEvent* event) override;

  private:
    const Coverage* table_ = nullptr;
    QString filter_;
    Sort sort_ = Sort::by_name;
    Group group_ = Group::none;
    Only only_ = Only::all;
    std::vector<int> rows_, columns_;
    std::vector<QString> group_names_;  ///< of the rows that are -1, in their order
    std::vector<CoverageCount> take_counts_, character_counts_;
    std::optional<Cell> picked_, hovered_;

    // What it is laid out by, px.
    int names_px_ = 0, head_px_ = 0, row_px_ = 0, column_px_ = 0, edge_px_ = 0, foot_px_ = 0;
    bool is_narrow_ = false;  ///< names of columns stand upright

    bool is_shown(const CoverageCell& cell) const;
    void lay_out();
    void measure_out();
    int row_of(size_t take) const;
    int column_of(size_t character) const;
    std::optional<Cell> cell_at(const QPoint& at) const;
    QRect cells_rect() const;
    void draw_cell(QPainter& painter, const QRect& at, const Cell& cell) const;
    void step(int rows, int columns);
    void make_visible(const Cell& cell);
};

}  // namespace nb
