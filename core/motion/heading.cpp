#include "core/motion/heading.hpp"

#include <algorithm>
#include <cmath>
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

constexpr double lying_rad = 25.0 * pi / 180.0;
constexpr double led_back_s = 0.3;
constexpr double least_forward = 0.2;  // of the line's length that must be seen from above

}  // namespace

std::optional<double> heading_now(const WorldMotion& motion, const BodyLines& lines, int frame) {
    const auto p = [&](int joint) -> const Vec3& { return motion.p[motion.at(frame, joint)]; };
    // Joints that lie in one point say nothing.
    const auto line = [&](int a, int b, double most_m) {
        const Vec3 way = p(a) - p(b);
        return way.norm() > 0.02 * most_m ? Vec3(way.normalized()) : Vec3(Vec3::Zero());
    };
    Vec3 left = (p(lines.thigh_left) - p(lines.thigh_right)).normalized();
    if (lines.shoulder_left >= 0 && lines.shoulder_right >= 0) {
        const Vec3 trunk =
            p(lines.shoulder_left) + p(lines.shoulder_right) - p(lines.thigh_left) - p(lines.thigh_right);
        const double length = trunk.norm();
        if (length > 1e-9 && std::abs(trunk.y()) < std::sin(lying_rad) * length) return {};
        left = line(lines.thigh_left, lines.thigh_right, 0.5 * length) +
               line(lines.shoulder_left, lines.shoulder_right, 0.5 * length);
        left *= 0.5;
    }
    // left x up
    if (std::hypot(left.x(), left.z()) < least_forward) return {};
    return std::atan2(-left.z(), left.x());
}

namespace {

double unwrapped(double angle, double beside) {
    return angle - 2.0 * pi * std::round((angle - beside) / (2.0 * pi));
}

}  // namespace

std::vector<double> headings(const WorldMotion& motion, const BodyLines& lines, double frame_time_s,
                             int first_frame) {
    std::vector<double> result(size_t(motion.frames), 0.0);
    if (lines.thigh_left < 0 || lines.thigh_right < 0) return result;
    double last = 0.0;
    bool has_last = false;
    double held_for = 0.0;  // what of the way back is left, s
    double off = 0.0;       // by which the held heading differs from the body's own when it gets up
    bool is_held = false;
    for (int f = first_frame; f < motion.frames; ++f) {
        const auto own = heading_now(motion, lines, f);
        if (own) {
            const double now = has_last ? unwrapped(*own, last) : *own;
            if (is_held) {
                off = last - now;
                held_for = led_back_s;
                is_held = false;
            }
            const double u = std::clamp(held_for / led_back_s, 0.0, 1.0);
            last = now + off * u * u * (3.0 - 2.0 * u);
            held_for -= frame_time_s;
            has_last = true;
        } else {
            is_held = has_last;
        }
        result[size_t(f)] = last;
    }
    // A take that begins lying, and frames before the motion, have the first heading that is told.
    int told = first_frame;
    while (told < motion.frames && !heading_now(motion, lines, told)) ++told;
    for (int f = 0; f < std::min(told, motion.frames); ++f)
        result[size_t(f)] = told < motion.frames ? result[size_t(told)] : 0.0;
    return result;
}

double yaw_of_turn(const Quat& turn) {
    const Vec3 ahead = turn * Vec3::UnitZ();
    return std::hypot(ahead.x(), ahead.z()) < 1e-6 ? 0.0 : std::atan2(ahead.x(), ahead.z());
}

std::vector<Rigid> root_track(const WorldMotion& motion, const BodyLines& lines, double frame_time_s,
                              int first_frame) {
    const std::vector<double> heading = headings(motion, lines, frame_time_s, first_frame);
    std::vector<Rigid> track;
    track.reserve(heading.size());
    for (int f = 0; f < motion.frames; ++f) {
        const Vec3 centre = hip_centre(motion, lines, f);
        track.push_back(
            {exp_rotation(heading[size_t(f)] * Vec3::UnitY()), Vec3(centre.x(), 0.0, centre.z())});
    }
    return track;
}

void put_on_root(const Skeleton& skeleton, int root, int top, const std::vector<Rigid>& track,
                 WorldMotion& motion) {
    const Pose rest = rest_pose(skeleton);
    for (int j = root; j < skeleton.size(); ++j) {
        if (!skeleton.is_ancestor(root, j) || skeleton.is_ancestor(top, j)) continue;
        for (int f = 0; f < motion.frames; ++f) {
            const Rigid X = track[size_t(f)] * Rigid{rest.R[size_t(j)], rest.p[size_t(j)]};
            motion.R[motion.at(f, j)] = X.R;
            motion.p[motion.at(f, j)] = X.p;
        }
    }
}

}  // namespace nb
