// Where a body faces and where it stands on the floor, a frame: what a root track carries.
#pragma once
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/motion/take.hpp"

namespace nb {

/// Joints of the lines that say where a body faces; shoulders may be missing (-1).
struct BodyLines {
    int thigh_left = -1, thigh_right = -1;
    int shoulder_left = -1, shoulder_right = -1;
};

/// Yaw of the body's forward about +Y, rad, 0 toward +Z, positive toward +X; unwrapped, no step beyond pi.
/// Forward is square to hip line and shoulder line together (sum of their unit vectors), projected to the
/// floor. While the trunk, hip centre to shoulder centre, is within 25 degrees of lying flat, or forward is
/// upright, the last heading is held; over 0.3 s after that it is led back to the body's own. Frames before
/// `first_frame` have its heading.
std::vector<double> headings(const WorldMotion& motion, const BodyLines& lines, double frame_time_s,
                             int first_frame);

/// Yaw about +Y of where a turn takes +Z, rad, positive toward +X; 0 where that is upright. Of one pose alone: with the
/// turn of the hips since their aligned rest it is where they face.
double yaw_of_turn(const Quat& turn);

/// Root frame of each frame: (Rot(+Y, heading), hip centre projected to the floor).
/// root * (root^-1 * X) = X for every frame X of the body: travel and remainder give back the original.
std::vector<Rigid> root_track(const WorldMotion& motion, const BodyLines& lines, double frame_time_s,
                              int first_frame);

}  // namespace nb
