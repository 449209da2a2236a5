// The camera: turns about a point of interest, with a long lens.
#pragma once
#include <Eigen/Core>
#include <optional>
#include <string_view>

#include "core/math/rotation.hpp"

namespace nb {

enum class View { three_quarter, front, side, top, back, other_side, below };
/// "three-quarter", "front", "side", "top", "back", "other side", "below"
std::string_view view_name(View view);
/// Back for front and the like; of the three-quarter view the back.
View opposite(View view);

using Mat4f = Eigen::Matrix4f;

struct Camera {
    Vec3 focus_m = Vec3(0, 0.9, 0);  ///< the point looked at, world
    double yaw_rad = 0.0;            ///< 0 looks along -Z at the body's front; positive moves the eye to +X
    double pitch_rad = 0.0;          ///< of the eye above the floor's plane
    double height_m = 2.2;           ///< what the picture's height spans at the focus
    double lens_rad =
        0.16;  ///< angle of view over the picture's height; small is a long lens, 0 parallel rays

    bool is_parallel() const { return lens_rad <= 0.0; }
    double distance_m() const;  ///< of the eye from the focus
    Vec3 eye_m() const;
    Vec3 forward() const;
    Vec3 right() const;
    Vec3 up() const;
    Mat4f view() const;
    Mat4f projection(double aspect) const;
    /// Pixel (x right, y down) of a world point in a picture of that size; z is the depth along the view, m.
    Vec3 project(const Vec3& p_m, double width_px, double height_px) const;
    /// The point of the plane y = 0 that is seen at a pixel; empty where none is.
    std::optional<Vec3> floor_at(double x_px, double y_px, double width_px, double height_px) const;
    /// Metres that one pixel spans at the focus.
    double metres_per_pixel(double height_px) const { return height_m / height_px; }
};

/// Turns the camera to a named view with the view's own lens; focus and span stay.
void set_view(Camera& camera, View view);

}  // namespace nb
