// Rotations and rigid transforms: the one notation of the project.
#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>
#include <array>

namespace nb {

using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;
/// Unit quaternion. `R_AB` takes coordinates in frame B to coordinates in frame A.
using Quat = Eigen::Quaterniond;

inline constexpr double pi = 3.14159265358979323846;
inline constexpr double deg_to_rad(double deg) {
    return deg * pi / 180.0;
}
inline constexpr double rad_to_deg(double rad) {
    return rad * 180.0 / pi;
}

/// Frame B seen from frame A: `X_AB = (R_AB, p_AB)`, so that `X_AC = X_AB * X_BC`. Metres.
struct Rigid {
    Quat R = Quat::Identity();
    Vec3 p = Vec3::Zero();
};
inline Rigid operator*(const Rigid& X_AB, const Rigid& X_BC) {
    return {X_AB.R * X_BC.R, X_AB.p + X_AB.R * X_BC.p};
}
inline Vec3 operator*(const Rigid& X_AB, const Vec3& p_B) {
    return X_AB.p + X_AB.R * p_B;
}
inline Rigid inverse(const Rigid& X_AB) {
    const Quat R_BA = X_AB.R.conjugate();
    return {R_BA, -(R_BA * X_AB.p)};
}

/// Rotation by the angle |w| (rad) about w. Exact for w = 0.
Quat exp_rotation(const Vec3& w);
/// Signed angle, rad, about the unit axis s that brings `from` nearest to `to`, in [-pi, pi].
double roll_about(const Vec3& s, const Vec3& from, const Vec3& to);
/// Rotation vector of the shorter way round, |w| <= pi. Inverse of `exp_rotation`.
Vec3 log_rotation(const Quat& R);
/// Angle of the rotation that takes a to b, 0..pi rad.
double angle_between(const Quat& a, const Quat& b);
/// Angle between two directions, 0..pi rad; 0 when either has no length.
double angle_between(const Vec3& a, const Vec3& b);
/// Least rotation that turns direction `from` onto `to`. For opposite directions the turn is about
/// `fallback` made square to `from`. Directions need not be of unit length; without length: identity.
Quat shortest_arc(const Vec3& from, const Vec3& to, const Vec3& fallback = Vec3::UnitY());
/// A rotation taken apart, R = swing * twist: twist is a turn about `axis`, swing the least turn that takes
/// the axis where R takes it.
struct SwingTwist {
    Quat swing = Quat::Identity();
    Quat twist = Quat::Identity();
};
/// For a half turn that swings the axis onto its opposite the twist is the identity.
SwingTwist swing_twist(const Quat& R, const Vec3& axis);
/// Angle of the twist, -pi..pi rad, right-handed about `axis`.
double twist_angle(const Quat& R, const Vec3& axis);
/// Right-handed frame with its first axis along `primary` and its second axis along `secondary` made
/// square to it. Columns are the axes.
Mat3 frame_from(const Vec3& primary, const Vec3& secondary);
/// Point of the shortest geodesic from a (u = 0) to b (u = 1): a * exp(u * log(a^-1 * b)).
Quat interpolate(const Quat& a, const Quat& b, double u);

/// Order of three successive rotations about the axes of the moving frame: R = R_0 * R_1 * R_2.
/// Axes: 0 = X, 1 = Y, 2 = Z; all three differ.
struct EulerOrder {
    std::array<int, 3> axis{0, 1, 2};
};
Quat axis_rotation(int axis, double angle_rad);
Quat from_euler(const EulerOrder& order, const Vec3& angles_rad);

/// Of all triples that give exactly R (both branches, each angle +- 2 pi), the one nearest to
/// `previous_rad` in the sum of squares. Within 1 degree of the pole (middle angle at +-90 degrees) the
/// triple with the least largest step. At the pole itself (cosine of the middle angle below 1e-7), where
/// only the sum or difference of the outer angles is set, the change is split evenly between the two.
Vec3 to_euler_nearest(const Mat3& R, const EulerOrder& order, const Vec3& previous_rad);

}  // namespace nb
