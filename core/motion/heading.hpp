// Where a body faces and where it stands on the floor, a frame: what a root track carries.
#pragma once
#include <optional>
#include <span>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/motion/take.hpp"

namespace nb {

/// Joints of the lines that say where a body faces; shoulders may be missing (-1).
struct BodyLines {
    int thigh_left = -1, thigh_right = -1;
    int shoulder_left = -1, shoulder_right = -1;
};

/// Between the thigh joints, in the places of one pose.
inline Vec3 hip_centre(std::span<const Vec3> p, const BodyLines& lines) {
    return 0.5 * (p[size_t(lines.thigh_left)] + p[size_t(lines.thigh_right)]);
}
inline Vec3 hip_centre(const WorldMotion& motion, const BodyLines& lines, int frame) {
    return hip_centre({&motion.p[motion.at(frame, 0)], size_t(motion.joints)}, lines);
}

/// Yaw of the body's forward about +Y, rad, 0 toward +Z, positive toward +X; unwrapped, no step beyond pi.
/// Forward is square to hip line and shoulder line together (sum of their unit vectors), projected to the
/// floor. While the trunk, hip centre to shoulder centre, is within 25 degrees of lying flat, or forward is
/// upright, the last heading is held; over 0.3 s after that it is led back to the body's own. Frames before
/// `first_frame` have its heading.
std::vector<double> headings(const WorldMotion& motion, const BodyLines& lines, double frame_time_s,
                             int first_frame);

/// The same of one frame alone, within -pi .. pi; empty while the trunk lies or forward is upright.
std::optional<double> heading_now(const WorldMotion& motion, const BodyLines& lines, int frame);

/// Yaw about +Y of where a turn takes +Z, rad, positive toward +X; 0 where that is upright. Of one pose alone: with the
/// turn of the hips since their aligned rest it is where they face.
double yaw_of_turn(const Quat& turn);

/// Root frame of each frame: (Rot(+Y, heading), hip centre projected to the floor).
/// root * (root^-1 * X) = X for every frame X of the body: travel and remainder give back the original.
std::vector<Rigid> root_track(const WorldMotion& motion, const BodyLines& lines, double frame_time_s,
                              int first_frame);

/// The root bone, and what hangs on it beside the body (`top` and below), goes with a track, a frame each, from where
/// they stand at rest.
void put_on_root(const Skeleton& skeleton, int root, int top, const std::vector<Rigid>& track,
                 WorldMotion& motion);

}  // namespace nb
