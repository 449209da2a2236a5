// The last seconds of a stream: when each frame came and how late, what never came; below it the height of the hips, the
// stream's over the file's while the take plays along.
#pragma once
#include "app/look/drawing.hpp"
#include "app/work/live_desk.hpp"

namespace nb {

class LiveLane : public Drawing {
    Q_OBJECT

  public:
    explicit LiveLane(LiveDesk& desk, QWidget* parent = nullptr);
    QSize sizeHint() const override { return scaled(QSize{600, 190}); }
    QSize minimumSizeHint() const override { return scaled(QSize{300, 110}); }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    LiveDesk& desk_;

    double x_of(double s) const;
    double arrivals_height() const;
    void paint_arrivals(QPainter& painter) const;
    void paint_heights(QPainter& painter) const;
};

}  // namespace nb
