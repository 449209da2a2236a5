// What of a foot can stand: heel, ball and toe tip, found once from a character's aligned rest.
#pragma once
#include <array>
#include <optional>
#include <string>
#include <string_view>

#include "core/motion/take.hpp"
#include "core/rest/character.hpp"

namespace nb {

enum class FootPoint { heel, ball, toetip };
inline constexpr std::array<FootPoint, 3> foot_points{FootPoint::heel, FootPoint::ball, FootPoint::toetip};
std::string_view foot_point_name(FootPoint point);

/// The underside of one foot. At the aligned rest all three points lie on the floor, y = 0.
///
/// heel    fixed in the foot's frame: the rear end of the mesh near the floor, else 0.53 of the horizontal
///         length ankle to ball behind the ankle (a foot's joint stands at about a quarter of its length, its
///         ball at 0.72; common practice, no published source).
/// ball    `ball_over_m` straight below the toe's joint, as a sphere about it would touch: toes that lie flat
///         while the heel is raised leave it where it is.
/// toetip  fixed in the toe's frame, below the end of the toe's bone. Without a toe: in the foot's.
struct Sole {
    Side side = Side::left;
    int ankle = -1;
    int toe = -1;                ///< -1: the ball is a point of the foot
    Vec3 heel_J = Vec3::Zero();  ///< in the ankle joint's frame, m
    Vec3 ball_J = Vec3::Zero();  ///< centre of the ball, in the ankle joint's frame, m
    double ball_over_m = 0.0;
    Vec3 tip_J = Vec3::Zero();  ///< in the toe joint's frame (without one: the ankle's), m
    bool has_tip = false;

    /// World place of a point, from the world frames of ankle and toe.
    Vec3 point(FootPoint which, const Quat& R_ankle, const Vec3& p_ankle, const Quat& R_toe,
               const Vec3& p_toe) const;
    Vec3 point(FootPoint which, const WorldMotion& motion, int frame) const;
    Vec3 point(FootPoint which, const Pose& pose) const;
};

/// Left and right; empty for a foot whose joint is missing and for bodies on four legs.
std::array<std::optional<Sole>, 2> soles_of(const Character& character);

/// "heel.left"
std::string contact_point_name(FootPoint point, Side side);
/// The point of such a name; empty for any other.
std::optional<FootPoint> foot_point(std::string_view contact_point);

/// Speed at a frame, m/s: over +-reach frames, fewer at the ends of [first, places.size()).
double speed_over(const std::vector<Vec3>& places, int frame, int first, int reach, double frame_time_s);

}  // namespace nb
