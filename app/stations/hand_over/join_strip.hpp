// Clips of one body in a row: each a bar as high as its part in the motion, so that a seam is where one falls and the
// next rises; below a seam both poses at its middle and how well they meet. Ends are dragged.
#pragma once
#include "app/look/drawing.hpp"
#include "app/work/join_desk.hpp"

namespace nb {

class JoinStrip : public Drawing {
    Q_OBJECT

  public:
    explicit JoinStrip(JoinDesk& desk, QWidget* parent = nullptr);
    /// Clip i is item 2 i, the seam after it 2 i + 1; -1: none.
    int selected() const { return selected_; }
    void select(int item);
    int clip() const { return selected_ >= 0 && selected_ % 2 == 0 ? selected_ / 2 : -1; }
    int seam() const { return selected_ >= 0 && selected_ % 2 == 1 ? selected_ / 2 : -1; }
    /// What is dragged: the first end of the row, its last, the length of an overlap; pixels (tests).
    enum class Grip { none, first, last, overlap };
    QPoint place_of(Grip grip, int seam = 0) const;
    QPoint middle_of(int item) const;

  signals:
    void selected_changed();

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    QSize sizeHint() const override { return {scaled(600), scaled(180)}; }
    QSize minimumSizeHint() const override { return {scaled(300), scaled(150)}; }

  private:
    JoinDesk& desk_;
    int selected_ = -1;
    Grip dragged_ = Grip::none;
    int dragged_seam_ = 0, drags_ = 0;
    double pressed_x_ = 0.0;
    JoinPlan pressed_plan_;

    /// What is drawn of the plan: as joined, when clips and seams are still as many.
    const Joined* shown() const;
    double x_of(double frame) const;
    double frames_a_unit() const;
    std::pair<Grip, int> grip_at(const QPointF& units) const;
    int item_at(const QPointF& units) const;
    void paint_clip(QPainter& painter, int clip) const;
    void paint_seam(QPainter& painter, int seam) const;
    void paint_poses(QPainter& painter, int seam, double x, bool is_chosen) const;
    void paint_pose(QPainter& painter, const std::vector<Vec3>& pose, const Vec3& ahead, const Vec3& centre,
                    const QPointF& foot, double unit_px) const;
};

/// "foot L": what meets at a seam.
QString meeting_word(const std::string& role);

}  // namespace nb
