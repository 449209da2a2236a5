// The turn handle: three graduated hoops about a bone's joint, one an axis; a tick every 15 degrees. Dragging
// a hoop turns the bone about its axis.
#pragma once
#include <QPointF>
#include <QSize>
#include <QString>
#include <array>
#include <optional>
#include <vector>

#include "draw/camera.hpp"
#include "draw/renderer.hpp"

namespace nb {

struct TurnHandle {
    Vec3 centre_m = Vec3::Zero();
    Quat R_WA = Quat::Identity();  ///< axes of the hoops
    double radius_m = 0.2;

    /// Place of a hoop's point at an angle from its first axis.
    Vec3 point(int axis, double angle_rad) const;
    /// The hoop under a point of the view, -1 for none; `angle_rad` is where on it.
    int hoop_at(const Camera& camera, const QSize& view, const QPointF& at, double& angle_rad) const;
    /// How far a drag along the hoop turns, rad: the movement along the hoop's direction on screen at the
    /// place it was taken by the length of a radian there.
    double turn_of_drag(const Camera& camera, const QSize& view, int axis, double taken_at_rad,
                        const QPointF& moved) const;
    /// Hoops and ticks; the part behind the bone thinner. `lit`: the hoop under the pointer or in the hand;
    /// with `turned_rad` a wedge from where it was taken.
    std::vector<Stroke2> strokes(const Camera& camera, const QSize& view, int lit, double taken_at_rad,
                                 double turned_rad) const;
    /// Where the letters X, Y, Z stand.
    std::array<QPointF, 3> letters(const Camera& camera, const QSize& view) const;
};

/// An arc from one direction to another about a joint: how far apart two bones' rests are.
struct GapArc {
    Vec3 centre_m = Vec3::Zero();
    Vec3 from = Vec3::UnitX(), to = Vec3::UnitX();  ///< unit vectors
    double radius_m = 0.1;
    QString label;  ///< degrees

    std::vector<Stroke2> strokes(const Camera& camera, const QSize& view) const;
    QPointF label_at(const Camera& camera, const QSize& view) const;
};

}  // namespace nb
