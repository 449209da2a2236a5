// The nodes of a control rig on the body at its rest, from the front and from its left: what takes something is filled,
// a line leads to the joint it takes; the share of a limb is a bar. A click takes a node in hand, a further one the next
// in the same place.
#pragma once
#include <string>

#include "app/look/drawing.hpp"
#include "app/work/controls_desk.hpp"

namespace nb {

class ControlsView : public Drawing {
    Q_OBJECT

  public:
    ControlsView(Workspace& workspace, ControlsDesk& desk, QWidget* parent = nullptr);
    const std::string& node() const { return node_; }
    void select(const std::string& node);
    /// Where it stands, from the front; pixels (tests).
    QPoint place_of(const std::string& node) const;

  signals:
    void selected_changed();

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    QSize sizeHint() const override { return {scaled(560), scaled(200)}; }
    QSize minimumSizeHint() const override { return {scaled(240), scaled(150)}; }

  private:
    enum class From { front, left };
    Workspace& workspace_;
    ControlsDesk& desk_;
    std::string node_;

    /// Units of the drawing of one view.
    struct Frame {
        double unit = 1.0;  ///< a metre
        double x = 0.0;     ///< of what lies in the middle
        double low = 0.0;   ///< of the floor
        double middle = 0.0;
    };
    Frame frame(From from) const;
    QPointF at(const Vec3& p, From from, const Frame& frame) const;
    /// What stands there in either view, the nearest first.
    std::vector<std::string> nodes_at(const QPointF& units) const;
    QString words_of(const std::string& node) const;
    void paint_view(QPainter& painter, From from) const;
    /// The joint a goal is of; -1: it stands by itself.
    int joint_of(const std::string& goal) const;
    /// The limb whose share a node carries; empty: none.
    std::string shared_by(const std::string& node) const;
};

/// "pole of the knee L", "wrist R": what a control takes.
QString goal_word(const std::string& goal);
/// "arm L".
QString limb_word(const std::string& limb);

}  // namespace nb
