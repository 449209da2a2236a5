#include "app/stage/turn_handle.hpp"

#include <algorithm>
#include <cmath>

#include "app/stage/handles.hpp"

namespace nb {

namespace {

constexpr int pieces = 72;

QPointF to_q(const Eigen::Vector2d& p) {
    return {p.x(), p.y()};
}

}  // namespace

Vec3 TurnHandle::point(int axis, double angle_rad) const {
    Vec3 u = Vec3::Zero();
    u[(axis + 1) % 3] = std::cos(angle_rad);
    u[(axis + 2) % 3] = std::sin(angle_rad);
    return centre_m + R_WA * (radius_m * u);
}

int TurnHandle::hoop_at(const Camera& camera, const QSize& view, const QPointF& at, double& angle_rad) const {
    int best = -1;
    double least = grab_px;
    const Eigen::Vector2d m(at.x(), at.y());
    for (int axis = 0; axis < 3; ++axis)
        for (int i = 0; i < pieces; ++i) {
            const double angle = 2.0 * pi * i / pieces;
            const Eigen::Vector2d a = seen_on(camera, view, point(axis, angle));
            const Eigen::Vector2d b = seen_on(camera, view, point(axis, angle + 2.0 * pi / pieces));
            const Eigen::Vector2d d = b - a;
            const double u =
                d.squaredNorm() > 1e-9 ? std::clamp((m - a).dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
            const double off = (m - a - u * d).norm();
            if (off >= least) continue;
            least = off;
            best = axis;
            angle_rad = angle + u * 2.0 * pi / pieces;
        }
    return best;
}

double TurnHandle::turn_of_drag(const Camera& camera, const QSize& view, int axis, double taken_at_rad,
                                const QPointF& moved) const {
    const double step = 0.02;
    const Eigen::Vector2d along = (seen_on(camera, view, point(axis, taken_at_rad + step)) -
                                   seen_on(camera, view, point(axis, taken_at_rad - step))) /
                                  (2.0 * step);
    // A hoop seen from its edge still turns: by the length it would have seen flat.
    const double flat = radius_m / camera.metres_per_pixel(view.height());
    const double length = std::max(along.norm(), 0.3 * flat);
    if (along.norm() < 1e-9) return 0.0;
    return Eigen::Vector2d(moved.x(), moved.y()).dot(along.normalized()) / length;
}

std::vector<Stroke2> TurnHandle::strokes(const Camera& camera, const QSize& view, int lit,
                                         double taken_at_rad, double turned_rad) const {
    std::vector<Stroke2> result;
    const Vec3 toward = camera.right().cross(camera.up());
    const auto add = [&](const Vec3& a, const Vec3& b, double width) {
        result.push_back({seen_on(camera, view, a), seen_on(camera, view, b), width});
    };
    for (int axis = 0; axis < 3; ++axis) {
        for (int i = 0; i < pieces; ++i) {
            const double angle = 2.0 * pi * i / pieces;
            const Vec3 a = point(axis, angle);
            const bool is_behind = (a - centre_m).dot(toward) < -0.05 * radius_m;
            if (is_behind && lit != axis && i % 2) continue;  // a broken line behind
            add(a, point(axis, angle + 2.0 * pi / pieces), lit == axis ? 2.6 : is_behind ? 0.8 : 1.3);
            if (is_behind || i % 3) continue;
            const Vec3 out = (a - centre_m) * (i % 18 ? 0.04 : 0.09);
            add(a, a + out, lit == axis ? 1.6 : 1.0);
        }
    }
    if (lit >= 0 && std::abs(turned_rad) > 1e-6) {
        add(centre_m, point(lit, taken_at_rad), 1.0);
        add(centre_m, point(lit, taken_at_rad + turned_rad), 2.0);
    }
    return result;
}

std::array<QPointF, 3> TurnHandle::letters(const Camera& camera, const QSize& view) const {
    std::array<QPointF, 3> result;
    const Vec3 toward = camera.right().cross(camera.up());
    for (int axis = 0; axis < 3; ++axis) {
        // Beside the point of the hoop that is nearest to the eye.
        double nearest = -1e30;
        Vec3 at = centre_m;
        for (int i = 0; i < pieces; i += 3) {
            const Vec3 p = point(axis, 2.0 * pi * i / pieces);
            const double depth = (p - centre_m).dot(toward) + 0.15 * (p - centre_m).dot(camera.up());
            if (depth <= nearest) continue;
            nearest = depth;
            at = centre_m + 1.13 * (p - centre_m);
        }
        result[size_t(axis)] = to_q(seen_on(camera, view, at));
    }
    return result;
}

std::vector<Stroke2> GapArc::strokes(const Camera& camera, const QSize& view) const {
    std::vector<Stroke2> result;
    const Vec3 axis = log_rotation(shortest_arc(from, to));
    const int count = std::max(2, int(std::ceil(axis.norm() / deg_to_rad(4.0))));
    const auto at = [&](int i) {
        return Vec3(centre_m + radius_m * (exp_rotation(axis * i / count) * from));
    };
    result.reserve(size_t(count) + 2);
    for (int i = 0; i < count; ++i)
        result.push_back({seen_on(camera, view, at(i)), seen_on(camera, view, at(i + 1)), 2.2});
    result.push_back({seen_on(camera, view, centre_m), seen_on(camera, view, at(0)), 1.0});
    result.push_back({seen_on(camera, view, centre_m), seen_on(camera, view, at(count)), 1.0});
    return result;
}

QPointF GapArc::label_at(const Camera& camera, const QSize& view) const {
    const Vec3 middle = exp_rotation(0.5 * log_rotation(shortest_arc(from, to))) * from;
    return to_q(seen_on(camera, view, centre_m + 1.18 * radius_m * middle));
}

}  // namespace nb
