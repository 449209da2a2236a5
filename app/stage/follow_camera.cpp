#include "app/stage/follow_camera.hpp"

#include <algorithm>

namespace nb {

Vec3 followed_point(const std::vector<FollowedBody>& bodies) {
    if (bodies.empty()) return {0, 0.9, 0};
    Vec3 point = Vec3::Zero();
    double tallest = 0.0;
    double risen = 0.0;
    for (const FollowedBody& body : bodies) {
        point += body.hips_m / double(bodies.size());
        risen += body.risen_m / double(bodies.size());
        tallest = std::max(tallest, body.stature_m);
    }
    point.y() = 0.5 * tallest + risen;
    return point;
}

void fit_bodies(Camera& camera, const std::vector<FollowedBody>& bodies, const QSize& view, int column_px) {
    Eigen::Array2d low = Eigen::Array2d::Constant(1e9);
    Eigen::Array2d high = Eigen::Array2d::Constant(-1e9);
    for (const FollowedBody& body : bodies)
        for (int corner = 0; corner < 8; ++corner) {
            const Vec3 p(body.hips_m.x() + (corner & 1 ? 1 : -1) * body.wide_m,
                         body.risen_m + (corner & 2 ? 1.07 : -0.02) * body.stature_m,
                         body.hips_m.z() + (corner & 4 ? 1 : -1) * body.wide_m);
            const Vec3 off = p - camera.focus_m;
            const Eigen::Array2d seen(off.dot(camera.right()), off.dot(camera.up()));
            low = low.min(seen);
            high = high.max(seen);
        }
    if (low.x() > high.x()) return;
    const Eigen::Array2d middle = 0.5 * (low + high);
    camera.focus_m += middle.x() * camera.right() + middle.y() * camera.up();
    const Eigen::Array2d span = high - low;
    const int free = std::max(1, view.width() - column_px);
    camera.height_m = std::max({0.5, 1.08 * span.y(), 1.05 * span.x() * view.height() / free});
    camera.focus_m += 0.5 * column_px * camera.metres_per_pixel(view.height()) * camera.right();
}

}  // namespace nb
