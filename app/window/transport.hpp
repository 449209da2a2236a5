// The transport at the bottom: play, frame, range, speed, frame rate.
#pragma once
#include <QWidget>
#include <optional>

#include "app/look/drawing.hpp"
#include "app/work/playback.hpp"
#include "core/review/judgement.hpp"

class QComboBox;
class QLabel;
class QSpinBox;
class QToolButton;

namespace nb {

/// The time line: frames as ticks, the played range between two rings, frames somebody has marked, the shown
/// frame.
class TimeLine : public Drawing {
    Q_OBJECT

  public:
    explicit TimeLine(Playback& playback, QWidget* parent = nullptr);
    QSize sizeHint() const override { return scaled(QSize{500, 34}); }
    double x_of(double frame) const;
    void set_marks(std::vector<MarkedFrame> marks);
    /// What is heard: least and largest from one frame to another; empty: nothing is.
    void set_sound(std::function<std::pair<float, float>(double, double)> heard);
    bool is_held() const { return held_ != Held::nothing; }

  signals:
    void let_go();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

  private:
    enum class Held { nothing, frame, first, last };
    Playback& playback_;
    Held held_ = Held::nothing;
    bool was_playing_ = false;
    std::vector<MarkedFrame> marks_;
    std::function<std::pair<float, float>(double, double)> heard_;
    std::vector<std::pair<float, float>>
        peaks_;  ///< of `heard_`, a unit of the drawing each; empty: to be asked

    double frame_at(double x) const;
    void paint_sound(QPainter& painter, double base);
    void drag(double x);
};

class Transport : public QWidget {
    Q_OBJECT

  public:
    explicit Transport(Playback& playback, QWidget* parent = nullptr);
    TimeLine* time_line() const { return line_; }
    void refresh_icons();
    /// Frames in force.
    void set_marks(const std::vector<MarkedFrame>& marks) { line_->set_marks(marks); }
    /// When the take begins on the clock of the scene it is a cast of; none: it is by itself.
    void set_scene_start(std::optional<double> start_s);

  signals:
    void trim_wanted();

  private:
    Playback& playback_;
    QToolButton *start_, *back_, *play_, *ahead_, *end_, *loop_, *trim_;
    QSpinBox* frame_;
    QComboBox* speed_;
    QLabel* rate_;
    TimeLine* line_;
    std::optional<double> scene_start_s_;

    void refresh();
    void refresh_rate();
};

}  // namespace nb
