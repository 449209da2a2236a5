// The line of stations at the left: the job in its order, hung on a line like knots, each with its count of
// open points.
#pragma once
#include <QWidget>
#include <array>

namespace nb {

enum class Station { intake, roles, rest, chains, transfer, touch_up, hand_over };
inline constexpr int station_count = 7;
QString station_name(Station station);
/// What is done there, in one sentence.
QString station_promise(Station station);

class StationLine : public QWidget {
    Q_OBJECT

  public:
    explicit StationLine(QWidget* parent = nullptr);
    Station station() const { return station_; }
    void set_station(Station station);
    void set_open_points(Station station, int count);
    QSize sizeHint() const override { return {96, 400}; }
    /// Where a station hangs, for a click.
    QPoint place_of(Station station) const;

  signals:
    void station_chosen(Station station);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    Station station_ = Station::transfer;
    int hovered_ = -1;
    std::array<int, station_count> open_points_{};

    int station_at(const QPointF& at) const;
};

}  // namespace nb
