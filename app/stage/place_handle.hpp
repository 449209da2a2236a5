// The place handle: three arms with notches every 5 cm about a bone's joint. An arm is dragged along itself, the knob in
// the middle in the plane of the picture.
#pragma once
#include <QPointF>
#include <QSize>
#include <vector>

#include "draw/camera.hpp"
#include "draw/renderer.hpp"

namespace nb {

struct PlaceHandle {
    Vec3 centre_m = Vec3::Zero();
    Quat R_WA = Quat::Identity();  ///< axes of the arms
    double length_m = 0.2;

    static constexpr int knob = 3;  ///< of the parts; the arms are 0 to 2
    /// The part under a point of the view, -1 for none.
    int part_at(const Camera& camera, const QSize& view, const QPointF& at) const;
    /// How far a drag of a part brings it; world, m.
    Vec3 way_of_drag(const Camera& camera, const QSize& view, int part, const QPointF& moved) const;
    /// `lit`: the part under the pointer or in the hand.
    std::vector<Stroke2> strokes(const Camera& camera, const QSize& view, int lit) const;
    /// Where a part is taken, px.
    QPointF grip(const Camera& camera, const QSize& view, int part) const;

  private:
    Eigen::Vector2d grip_end(const Camera& camera, const QSize& view, int axis) const;
};

}  // namespace nb
