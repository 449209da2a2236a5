// What the handles on the stage share.
#pragma once
#include <QSize>

#include "draw/camera.hpp"

namespace nb {

/// So near, in pixels, a handle is taken.
inline constexpr double grab_px = 7.0;

/// A point of the world on the view, pixels from its upper left.
inline Eigen::Vector2d seen_on(const Camera& camera, const QSize& view, const Vec3& p) {
    return camera.project(p, view.width(), view.height()).head<2>();
}

}  // namespace nb
