// The scene over its clock: a bar a cast, a lane a touch between bodies, a lane a pair for how deep they are in each other.
// Bars are dragged: a cast begins earlier or later; so are the ends of touches.
#pragma once
#include <optional>

#include "app/look/drawing.hpp"
#include "app/work/playback.hpp"
#include "app/work/scene_edits.hpp"

namespace nb {

/// A take as a scene names it, without what only files have.
QString take_words(const std::string& take);

class SceneLanes : public Drawing {
    Q_OBJECT

  public:
    SceneLanes(Workspace& workspace, Playback& playback, SceneEdits& edits, QWidget* parent = nullptr);
    QSize sizeHint() const override { return scaled(QSize{600, 216}); }
    QSize minimumSizeHint() const override { return scaled(QSize{300, 96}); }
    void pick_touch(int touch);
    int touch_in_hand() const { return touch_; }

    /// Where a cast's bar is at a time, and a touch's first or last frame, px of the widget.
    QPoint place_of_cast(size_t cast, double scene_s) const;
    QPoint place_of_touch(size_t touch, bool is_end) const;
    /// As it reads at the right of a touch's lane.
    QString figure_of(size_t touch) const;

  signals:
    void explained(const QString& line);
    void touch_picked(int touch);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    Workspace& workspace_;
    Playback& playback_;
    SceneEdits& edits_;
    int touch_ = -1;
    double scrolled_ = 0.0;  ///< in units of the drawing
    struct Row {
        enum class Kind { cast, touch, pair } kind;
        size_t index;
        double top, height;
    };
    struct Drag {
        size_t cast = 0;
        int touch = -1;  ///< -1: the cast's bar
        bool is_end = false;
        double taken_s = 0.0;
        double first_s = 0.0, last_s = 0.0;  ///< the clock does not run away while it is dragged
        double start_before_s = 0.0;
        int topic = 0;
    };
    std::optional<Drag> drag_;

    std::vector<Row> rows() const;
    std::optional<Row> row_at(double y) const;
    static bool is_of(const SceneEvent& event, const Row& row);
    double first_s() const { return drag_ ? drag_->first_s : workspace_.scene().first_s(); }
    double last_s() const { return drag_ ? drag_->last_s : workspace_.scene().last_s(); }
    double x_of(double scene_s) const;
    double time_at(double x) const;
    std::pair<double, double> span_of(const BodyTouch& touch) const;
    std::optional<bool> end_at(const BodyTouch& touch, double x) const;
    void paint_cast(QPainter& painter, const Row& row) const;
    void paint_touch(QPainter& painter, const Row& row) const;
    void paint_pair(QPainter& painter, const Row& row) const;
    void paint_words(QPainter& painter, const Row& row, const QString& first, const QString& second,
                     bool is_in_hand) const;
    void explain(const Row& row, double scene_s);
};

}  // namespace nb
