// The line of stations at the left: the job in its order, hung on a line like knots, each with its count of
// open points.
#pragma once
#include <QTimer>
#include <QWidget>

#include "app/look/drawing.hpp"
#include "app/stations/station.hpp"

namespace nb {

class StationLine : public Drawing {
    Q_OBJECT

  public:
    explicit StationLine(StationList list, QWidget* parent = nullptr);
    Station& station() const { return *list_[size_t(here_)]; }
    /// By its id; nothing happens when there is none.
    void set_station(const QString& id);
    /// What is open in each is asked anew.
    /// Counts again in a moment: once for all that changes meanwhile.
    void refresh_open_points() { count_.start(); }
    /// As they were last counted.
    int open_points(const QString& station) const;
    QSize sizeHint() const override { return scaled(QSize{96, 400}); }
    /// Where a station hangs, for a click.
    QPoint place_of(const QString& id) const;

  signals:
    void station_chosen();

  protected:
    bool has_focus_frame() const override { return false; }
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    StationList list_;
    std::vector<double> places_;  ///< along the line, as shares of its length
    std::vector<int> open_points_;
    QTimer count_;
    int here_ = 0;
    int hovered_ = -1;

    QPoint place(int index) const;
    void go(int index);
    int index_of(const QString& id) const;
    int station_at(const QPointF& at) const;
    void count_open_points();
};

}  // namespace nb
