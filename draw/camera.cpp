#include "draw/camera.hpp"

#include <array>
#include <cmath>

namespace nb {

std::string_view view_name(View view) {
    constexpr std::array<std::string_view, 7> names{"three-quarter", "front",      "side", "top",
                                                    "back",          "other side", "below"};
    return names[size_t(view)];
}

View opposite(View view) {
    constexpr std::array<View, 7> others{View::back,  View::back, View::other_side, View::below,
                                         View::front, View::side, View::top};
    return others[size_t(view)];
}

Vec3 Camera::forward() const {
    return -Vec3(std::sin(yaw_rad) * std::cos(pitch_rad), std::sin(pitch_rad),
                 std::cos(yaw_rad) * std::cos(pitch_rad));
}
Vec3 Camera::right() const {
    return {std::cos(yaw_rad), 0.0, -std::sin(yaw_rad)};
}
Vec3 Camera::up() const {
    return right().cross(forward());
}
double Camera::distance_m() const {
    return is_parallel() ? 40.0 : 0.5 * height_m / std::tan(0.5 * lens_rad);
}
Vec3 Camera::eye_m() const {
    return focus_m - forward() * distance_m();
}

Mat4f Camera::view() const {
    Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
    m.block<1, 3>(0, 0) = right().transpose();
    m.block<1, 3>(1, 0) = up().transpose();
    m.block<1, 3>(2, 0) = -forward().transpose();
    m.block<3, 1>(0, 3) = -m.block<3, 3>(0, 0) * eye_m();
    return m.cast<float>();
}

Mat4f Camera::projection(double aspect) const {
    const double distance = distance_m();
    const double near = std::max(0.05, distance - 12.0);
    const double far = distance + 250.0;
    Eigen::Matrix4d m = Eigen::Matrix4d::Zero();
    if (is_parallel()) {
        m(0, 0) = 2.0 / (aspect * height_m);
        m(1, 1) = 2.0 / height_m;
        m(2, 2) = 2.0 / (near - far);
        m(2, 3) = (far + near) / (near - far);
        m(3, 3) = 1.0;
        return m.cast<float>();
    }
    const double f = 1.0 / std::tan(0.5 * lens_rad);
    m(0, 0) = f / aspect;
    m(1, 1) = f;
    m(2, 2) = (far + near) / (near - far);
    m(2, 3) = 2.0 * far * near / (near - far);
    m(3, 2) = -1.0;
    return m.cast<float>();
}

std::optional<Vec3> Camera::floor_at(double x_px, double y_px, double width_px, double height_px) const {
    const double x = x_px - 0.5 * width_px, y = 0.5 * height_px - y_px;
    Vec3 from = eye_m(), along = forward();
    if (is_parallel()) {
        from += height_m / height_px * (x * right() + y * up());
    } else {
        along += 2.0 / height_px * std::tan(0.5 * lens_rad) * (x * right() + y * up());
    }
    if (std::abs(along.y()) < 1e-9 || -from.y() / along.y() <= 0.0) return {};
    Vec3 at = from - from.y() / along.y() * along;
    at.y() = 0.0;
    return at;
}

Vec3 Camera::project(const Vec3& p_m, double width_px, double height_px) const {
    const Vec3 seen = p_m - eye_m();
    const double depth = seen.dot(forward());
    const double scale = is_parallel() ? height_px / height_m
                                       : 0.5 * height_px / std::tan(0.5 * lens_rad) / std::max(depth, 1e-6);
    return {0.5 * width_px + scale * seen.dot(right()), 0.5 * height_px - scale * seen.dot(up()), depth};
}

void set_view(Camera& camera, View view) {
    camera.lens_rad = view == View::three_quarter ? 0.24 : 0.08;
    camera.yaw_rad = deg_to_rad(view == View::three_quarter ? 38.0
                                : view == View::side        ? 90.0
                                : view == View::back        ? 180.0
                                : view == View::other_side  ? -90.0
                                                            : 0.0);
    camera.pitch_rad = deg_to_rad(view == View::three_quarter ? 5.5
                                  : view == View::top         ? 89.9
                                  : view == View::below       ? -89.9
                                                              : 1.2);
}

}  // namespace nb
