#include "core/math/rotation.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

Quat exp_rotation(const Vec3& w) {
    const double angle = w.norm();
    const double half_sinc = angle < 1e-8 ? 0.5 - angle * angle / 48.0 : std::sin(0.5 * angle) / angle;
    const Vec3 v = half_sinc * w;
    return Quat(std::cos(0.5 * angle), v.x(), v.y(), v.z()).normalized();
}

Vec3 log_rotation(const Quat& R) {
    const double sign = R.w() < 0.0 ? -1.0 : 1.0;
    const double s = R.vec().norm();
    const double w = sign * R.w();
    if (s < 1e-12) return 2.0 * sign * R.vec();
    return (2.0 * std::atan2(s, w) * sign / s) * R.vec();
}

double angle_between(const Quat& a, const Quat& b) {
    return log_rotation(a.conjugate() * b).norm();
}

double angle_between(const Vec3& a, const Vec3& b) {
    return std::atan2(a.cross(b).norm(), a.dot(b));
}

Quat shortest_arc(const Vec3& from, const Vec3& to, const Vec3& fallback) {
    const double lengths = from.norm() * to.norm();
    if (lengths < 1e-24) return Quat::Identity();
    const Vec3 cross = from.cross(to) / lengths;
    const double dot = from.dot(to) / lengths;
    if (dot > -1.0 + 1e-12) {
        Quat R(1.0 + dot, cross.x(), cross.y(), cross.z());
        return R.normalized();
    }
    const Vec3 unit = from.normalized();
    Vec3 axis = fallback - unit * unit.dot(fallback);
    if (axis.norm() < 1e-9) axis = unit.unitOrthogonal();
    return Quat(Eigen::AngleAxisd(pi, axis.normalized()));
}

SwingTwist swing_twist(const Quat& R, const Vec3& axis) {
    const Vec3 a = axis.normalized();
    Quat twist(R.w(), 0.0, 0.0, 0.0);
    twist.vec() = a * a.dot(R.vec());
    if (twist.norm() < 1e-12) return {R, Quat::Identity()};
    twist.normalize();
    return {R * twist.conjugate(), twist};
}

double twist_angle(const Quat& R, const Vec3& axis) {
    const double angle = 2.0 * std::atan2(R.vec().dot(axis.normalized()), R.w());
    return std::remainder(angle, 2.0 * pi);
}

Mat3 frame_from(const Vec3& primary, const Vec3& secondary) {
    Mat3 frame;
    const Vec3 x = primary.normalized();
    Vec3 y = secondary - x * x.dot(secondary);
    y = y.norm() < 1e-12 ? x.unitOrthogonal() : y.normalized();
    frame.col(0) = x;
    frame.col(1) = y;
    frame.col(2) = x.cross(y);
    return frame;
}

Quat interpolate(const Quat& a, const Quat& b, double u) {
    return a * exp_rotation(u * log_rotation(a.conjugate() * b));
}

Quat axis_rotation(int axis, double angle_rad) {
    Quat R(std::cos(0.5 * angle_rad), 0.0, 0.0, 0.0);
    R.vec()[axis] = std::sin(0.5 * angle_rad);
    return R;
}

Quat from_euler(const EulerOrder& order, const Vec3& angles_rad) {
    return axis_rotation(order.axis[0], angles_rad[0]) * axis_rotation(order.axis[1], angles_rad[1]) *
           axis_rotation(order.axis[2], angles_rad[2]);
}

namespace {

double nearest_turn(double angle, double previous) {
    return angle - 2.0 * pi * std::round((angle - previous) / (2.0 * pi));
}

Vec3 nearest_turns(const Vec3& angles, const Vec3& previous) {
    return {nearest_turn(angles[0], previous[0]), nearest_turn(angles[1], previous[1]),
            nearest_turn(angles[2], previous[2])};
}

/// Middle and last angle once the first is chosen. Exact even where the first angle is free.
Vec3 complete(const Mat3& R, const EulerOrder& order, double sign, double first) {
    const auto [i, j, k] = order.axis;
    const Mat3 rest = axis_rotation(i, -first).toRotationMatrix() * R;
    return {first, std::atan2(sign * rest(i, k), rest(k, k)), std::atan2(sign * rest(j, i), rest(j, j))};
}

}  // namespace

Vec3 to_euler_nearest(const Mat3& R, const EulerOrder& order, const Vec3& previous_rad) {
    const auto [i, j, k] = order.axis;
    const double sign = (j - i + 3) % 3 == 1 ? 1.0 : -1.0;
    const double cos_middle = std::hypot(R(i, i), R(i, j));
    const auto largest_step = [&](const Vec3& angles) {
        return (angles - previous_rad).cwiseAbs().maxCoeff();
    };

    if (cos_middle < 1e-7) {
        // Only first + s * last is set, s = sign of the middle angle times the order's parity. The step
        // of both outer angles is made equal; two turns of the sum give two candidates.
        const Vec3 base = complete(R, order, sign, previous_rad[0]);
        const double s = base[1] * sign > 0 ? 1.0 : -1.0;
        Vec3 best = nearest_turns(base, previous_rad);
        for (int turn = -1; turn <= 1; ++turn) {
            const double excess = nearest_turn(base[2], previous_rad[2]) - previous_rad[2] + 2.0 * pi * turn;
            const Vec3 split = complete(R, order, sign, previous_rad[0] + 0.5 * s * excess);
            const Vec3 candidate = nearest_turns(split, previous_rad);
            if (largest_step(candidate) < largest_step(best)) best = candidate;
        }
        return best;
    }

    const Vec3 one = complete(R, order, sign, std::atan2(-sign * R(j, k), R(k, k)));
    const Vec3 a = nearest_turns(one, previous_rad);
    const Vec3 b = nearest_turns({one[0] + pi, pi - one[1], one[2] + pi}, previous_rad);
    const bool is_near_pole = cos_middle < std::sin(deg_to_rad(1.0));
    const auto cost = [&](const Vec3& angles) {
        return is_near_pole ? largest_step(angles) : (angles - previous_rad).squaredNorm();
    };
    return cost(b) < cost(a) ? b : a;
}

double roll_about(const Vec3& s, const Vec3& from, const Vec3& to) {
    const Vec3 a = from - s * s.dot(from);
    const Vec3 b = to - s * s.dot(to);
    return std::atan2(s.dot(a.cross(b)), a.dot(b));
}

}  // namespace nb
