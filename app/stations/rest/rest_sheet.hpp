// The sheet of the station Rest: a row for each role whose rests must agree, worst first. Two bars, direction
// and roll: as the two files have it (an outline) and now (filled), to one scale in degrees; what the rolls
// are taken from. A click picks the role.
#pragma once
#include <QWidget>
#include <vector>

#include "app/look/drawing.hpp"
#include "core/rest/compare.hpp"

namespace nb {

class RestSheet : public Drawing {
    Q_OBJECT

  public:
    explicit RestSheet(QWidget* parent = nullptr);
    void set_rows(std::vector<RestRow> rows);
    const std::vector<RestRow>& rows() const { return rows_; }
    /// Shows a role as picked, scrolled into sight, without saying so.
    void show_picked(const QString& role);
    QString picked() const { return picked_; }
    /// Where a role's row is drawn; null while it is scrolled away.
    QRectF place_of(const QString& role) const;

  signals:
    void role_picked(const QString& role);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    std::vector<RestRow> rows_;
    QString picked_;
    int first_ = 0;  ///< the row at the top

    int shown_rows() const;
    double scale_deg() const;
    int row_of(const QString& role) const;
    void scroll_to(int first);
};

}  // namespace nb
