// The two foot insets: what each foot of a body does, seen from its outer side by parallel rays, on a floor
// ruled in centimetres. While the source's foot rests, the inset stands still at the place the foot should
// keep.
#pragma once
#include <QRect>
#include <QWidget>
#include <optional>

#include "app/work/workspace.hpp"
#include "draw/renderer.hpp"

namespace nb {

struct FootInset {
    bool is_left = true;
    Camera camera;
    QRect place;                  ///< in the view, px
    std::optional<Vec3> held_m;   ///< where the resting point was set down; shown beside where it is
    Vec3 point_m = Vec3::Zero();  ///< the point now
    double above_cm = 0.0;        ///< of the joint over its height in the flat foot
};

/// Width of the column at the right of a view that the insets take, px; 0 when the view is too small for
/// them.
int inset_column_px(const QSize& view);
/// Insets of the target's feet (the source's when `of_target` is false), one above the other at the right of
/// a view. `moved_m`: where the body is shown beside where it is. Empty when the body has no feet or no place
/// is left.
std::vector<FootInset> foot_insets(const Workspace& workspace, bool of_target, int frame, const Vec3& moved_m,
                                   const QSize& view);
/// Frame, ruler in centimetres, held point (a notch) and the point now (a dot) of an inset.
std::vector<Stroke2> inset_strokes(const FootInset& inset);

/// The insets' figures in words, over the still picture; lets the mouse through.
class InsetFigures : public QWidget {
  public:
    explicit InsetFigures(QWidget* parent);
    void show_insets(std::vector<FootInset> insets);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    std::vector<FootInset> insets_;
};

}  // namespace nb
