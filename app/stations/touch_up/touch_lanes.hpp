// The lanes of touch-ups under the error strip: a lane a touch-up, drawn as its weight over time. Ends and eases are
// dragged, spans moved; what lies in them is copied, pasted at the shown frame, mirrored, removed.
#pragma once
#include "app/look/drawing.hpp"
#include "app/stations/transfer/frame_scale.hpp"
#include "app/work/playback.hpp"
#include "app/work/touch_edits.hpp"

namespace nb {

class TouchLanes : public Drawing {
    Q_OBJECT

  public:
    TouchLanes(Workspace& workspace, Playback& playback, TouchEdits& edits, QWidget* parent = nullptr);
    QSize sizeHint() const override { return scaled(QSize{600, height_px()}); }
    QSize minimumSizeHint() const override { return scaled(QSize{300, height_px()}); }
    static constexpr int lane_px = 34;

    /// What a drag takes hold of: where it begins to arrive, is whole, begins to go, is gone; all of it.
    enum class Grip { none, begin, from, to, end, whole };
    /// Where a grip of a lane is, px of the widget.
    QPoint place_of(int lane, Grip grip) const;
    /// Spans snap to whole frames.
    void set_snapping(bool on) { is_snapping_ = on; }

  signals:
    void explained(const QString& line);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    Workspace& workspace_;
    Playback& playback_;
    TouchEdits& edits_;
    struct Drag {
        TouchAt at;
        Grip grip = Grip::none;
        TouchSpan before;
        double taken_s = 0.0;
        int topic = 0;
    };
    std::optional<Drag> drag_;
    bool is_snapping_ = true;

    int height_px() const;
    FrameScale frame_scale() const { return {drawn_width(), playback_.frames()}; }
    double x_of_time(double t_s) const;
    double time_at(double x) const;
    double weight_y(int lane, double weight) const;
    Grip grip_at(int lane, const QPointF& at) const;
    int lane_at(const QPointF& at) const;
    void paint_lane(QPainter& painter, int lane, const TouchAt& at) const;
};

}  // namespace nb
