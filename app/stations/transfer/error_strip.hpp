// The error strip under the bodies: one measure at a time, a row a chain, a bar a frame.
#pragma once
#include <QPixmap>
#include <QWidget>

#include "app/look/drawing.hpp"
#include "app/stations/transfer/frame_scale.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"

namespace nb {

class ErrorStrip : public Drawing {
    Q_OBJECT

  public:
    ErrorStrip(Workspace& workspace, Playback& playback, QWidget* parent = nullptr);
    ReviewMeasure measure() const { return measure_; }
    void set_measure(ReviewMeasure measure);
    /// A review that stays as a thin line over the rows; null: none.
    void compare_with(std::shared_ptr<const Review> before);
    /// The worst frame of the measure after the one shown, in order of how bad; -1 without a review.
    int next_worst() const;
    /// What the strip says of a row at a frame.
    QString why(const QString& row, int frame) const;
    QSize sizeHint() const override { return scaled(QSize{600, 110}); }
    QSize minimumSizeHint() const override { return scaled(QSize{300, 70}); }
    /// Left edge and width of the part that stands for the frames, so that other drawings line up.
    static constexpr int left_px = FrameScale::left_px;
    static constexpr int right_px = FrameScale::right_px;

  signals:
    void explained(const QString& line);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

  private:
    Workspace& workspace_;
    Playback& playback_;
    ReviewMeasure measure_ = ReviewMeasure::slide;
    std::shared_ptr<const Review> before_;
    QPixmap rows_picture_;  ///< all but the line of the frame
    bool pictured_look_ = false;
    double shown_x_ = 0.0;

    void draw_anew();
    void paint_rows(QPainter& painter) const;

    std::vector<const ReviewSeries*> rows() const;
    double full_scale() const;
    FrameScale frame_scale() const { return {drawn_width(), playback_.frames()}; }
    double x_of(double frame) const { return frame_scale().x_of(frame); }
    int frame_at(double x) const;
    QRectF row_rect(int row, int count) const;
};

QString measure_name(ReviewMeasure measure);
QString measure_unit(ReviewMeasure measure);

}  // namespace nb
