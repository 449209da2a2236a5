// The sheet of the intake: both bodies at rest on one scale of heights beside a figure of 175 cm, and the
// tape: the whole take of the file as a line, with what is used of it between two handles, and a mark where a
// finding is.
#pragma once
#include <QWidget>

#include "app/look/drawing.hpp"
#include "app/stations/intake/intake_panel.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"

namespace nb {

class IntakeSheet : public Drawing {
    Q_OBJECT

  public:
    IntakeSheet(Workspace& workspace, Playback& playback, QWidget* parent = nullptr);
    /// Whose findings are marked; set once.
    void set_panel(IntakePanel* panel) { panel_ = panel; }
    /// Where a handle stands: 0 the first frame that is used, 1 the end of the last.
    QPointF handle(int which) const;
    double x_of(double file_frame) const;
    QSize sizeHint() const override { return scaled(QSize{600, 196}); }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    Workspace& workspace_;
    Playback& playback_;
    IntakePanel* panel_ = nullptr;
    int dragged_ = -1;
    std::pair<int, int> wanted_{0, 0};  ///< of the file, while a handle is dragged

    struct Tape {
        int frames = 0;
        std::pair<int, int> used{0, 0};
        double step = 1.0;  ///< frames of the file a frame of the take
    };
    Tape tape() const;
    QRectF tape_place() const;
    void paint_heights(QPainter& painter, const QRectF& place) const;
    void paint_tape(QPainter& painter) const;
    int file_frame_at(double x) const;
};

}  // namespace nb
