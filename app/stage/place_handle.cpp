#include "app/stage/place_handle.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "app/stage/handles.hpp"

namespace nb {

namespace {

constexpr double knob_px = 6.0;
constexpr double notch_m = 0.05;

}  // namespace

QPointF PlaceHandle::grip(const Camera& camera, const QSize& view, int part) const {
    const Vec3 at = part == knob ? centre_m : Vec3(centre_m + R_WA * (0.9 * length_m * Vec3::Unit(part)));
    const Eigen::Vector2d p = seen_on(camera, view, at);
    return {p.x(), p.y()};
}

int PlaceHandle::part_at(const Camera& camera, const QSize& view, const QPointF& at) const {
    const Eigen::Vector2d m(at.x(), at.y());
    const Eigen::Vector2d centre = seen_on(camera, view, centre_m);
    if ((m - centre).norm() < knob_px + 2.0) return knob;
    int best = -1;
    double least = grab_px;
    for (int axis = 0; axis < 3; ++axis) {
        const Eigen::Vector2d d = grip_end(camera, view, axis) - centre;
        const double u =
            d.squaredNorm() > 1e-9 ? std::clamp((m - centre).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
        const double off = (m - centre - u * d).norm();
        if (off >= least) continue;
        least = off;
        best = axis;
    }
    return best;
}

Vec3 PlaceHandle::way_of_drag(const Camera& camera, const QSize& view, int part, const QPointF& moved) const {
    const double scale = camera.metres_per_pixel(view.height());
    if (part == knob) return scale * (moved.x() * camera.right() - moved.y() * camera.up());
    const Vec3 axis = R_WA * Vec3::Unit(part);
    // An arm seen from its end still goes: by the length it would have seen flat.
    const Eigen::Vector2d along = (grip_end(camera, view, part) - seen_on(camera, view, centre_m)) / length_m;
    if (along.norm() < 1e-9) return Vec3::Zero();
    const double px_per_m = std::max(along.norm(), 0.3 / scale);
    return Eigen::Vector2d(moved.x(), moved.y()).dot(along.normalized()) / px_per_m * axis;
}

std::vector<Stroke2> PlaceHandle::strokes(const Camera& camera, const QSize& view, int lit) const {
    std::vector<Stroke2> result;
    const Eigen::Vector2d centre = seen_on(camera, view, centre_m);
    for (int axis = 0; axis < 3; ++axis) {
        const Eigen::Vector2d end = grip_end(camera, view, axis);
        result.push_back({centre, end, lit == axis ? 2.8 : 1.4});
        const Eigen::Vector2d way = end - centre;
        if (way.norm() < 8.0) continue;
        const Eigen::Vector2d aside = Eigen::Vector2d(-way.y(), way.x()).normalized();
        for (int i = 1; i * notch_m < length_m; ++i) {
            const Eigen::Vector2d at = centre + way * (i * notch_m / length_m);
            result.push_back({at - 3.0 * aside, at + 3.0 * aside, 1.0});
        }
        // The end: a short bar, twice as wide.
        result.push_back({end - 6.0 * aside, end + 6.0 * aside, lit == axis ? 2.8 : 1.8});
    }
    const double r = knob_px;
    const double wide = lit == knob ? 2.6 : 1.4;
    const std::array<Eigen::Vector2d, 4> corners{Eigen::Vector2d(0, -r), Eigen::Vector2d(r, 0),
                                                 Eigen::Vector2d(0, r), Eigen::Vector2d(-r, 0)};
    for (size_t i = 0; i < 4; ++i)
        result.push_back({centre + corners[i], centre + corners[(i + 1) % 4], wide});
    return result;
}

Eigen::Vector2d PlaceHandle::grip_end(const Camera& camera, const QSize& view, int axis) const {
    return seen_on(camera, view, centre_m + R_WA * (length_m * Vec3::Unit(axis)));
}

}  // namespace nb
