// What of a limb's end can rest on something: heel, ball and toe tip of a foot, the pad of a paw, a wrist;
// from a character's aligned rest.
#pragma once
#include <array>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "core/motion/kinematics.hpp"
#include "core/motion/take.hpp"
#include "core/rest/character.hpp"

namespace nb {

enum class FootPoint { heel, ball, toetip };
inline constexpr std::array<FootPoint, 3> foot_points{FootPoint::heel, FootPoint::ball, FootPoint::toetip};

/// What a limb ends in. Feet and paws rest by themselves; wrists are held where that is said by hand, and so
/// are knees and the seat, which are no ends: the hips alone hold them.
enum class LimbEnd { foot, hindpaw, forepaw, wrist, knee, seat };
inline bool is_held_by_hips(LimbEnd end) {
    return end == LimbEnd::knee || end == LimbEnd::seat;
}

/// The underside of one limb's end. At the aligned rest all points of feet and paws lie on the floor, y = 0.
/// Of a foot:
///
/// heel    fixed in the foot's frame: the rear end of the mesh near the floor, else 0.53 of the horizontal
///         length ankle to ball behind the ankle (a foot's joint stands at about a quarter of its length, its
///         ball at 0.72; common practice, no published source).
/// ball    `ball_over_m` straight below the toe's joint, as a sphere about it would touch: toes that lie flat
///         while the heel is raised leave it where it is.
/// toetip  fixed in the toe's frame, below the end of the toe's bone. Without a toe: in the foot's.
///
/// Bird legs stand on their toes: their ankle is a hock, and there is no heel below it (`has_heel`).
///
/// A paw has its pad alone, as a ball straight below its last joint; a wrist is its joint. `ankle` is that
/// joint then.
struct Sole {
    LimbEnd end = LimbEnd::foot;
    Side side = Side::left;
    int ankle = -1;
    int toe = -1;                ///< -1: the ball is a point of the foot
    Vec3 heel_J = Vec3::Zero();  ///< in the ankle joint's frame, m
    Vec3 ball_J = Vec3::Zero();  ///< centre of the ball, in the ankle joint's frame, m
    double ball_over_m = 0.0;
    Vec3 tip_J = Vec3::Zero();  ///< in the toe joint's frame (without one: the ankle's), m
    bool has_tip = false;
    bool has_heel = true;  ///< else `heel_J` only says which way the foot lies

    /// World place of a point, from the world frames of ankle and toe.
    Vec3 point(FootPoint which, const Quat& R_ankle, const Vec3& p_ankle, const Quat& R_toe,
               const Vec3& p_toe) const;
    Vec3 point(FootPoint which, const WorldMotion& motion, int frame) const;
    Vec3 point(FootPoint which, const Pose& pose) const;
    /// "heel.left", "forepaw.right", "wrist.left"
    std::string name(FootPoint which) const;
    /// Of the whole end: "foot.left", "forepaw.right", "wrist.left".
    std::string end_name() const;
    /// The points that are looked for in a take: heel and ball, the pad; none of a wrist.
    std::span<const FootPoint> resting() const;
    bool is_on_floor() const { return end != LimbEnd::wrist; }
};

/// Limbs by number: both legs, both arms (a dog's fore legs).
inline constexpr size_t limb_count = 4;
inline constexpr std::array<const char*, limb_count> limb_names{"leg.left", "leg.right", "arm.left",
                                                                "arm.right"};
/// Ends of the limbs; empty where the joint is missing.
using Soles = std::array<std::optional<Sole>, limb_count>;
Soles soles_of(const Character& character);

/// A point by its name: which limb (of the seat: any), and which point of its end.
struct ContactPoint {
    size_t limb = 0;
    LimbEnd end = LimbEnd::foot;
    FootPoint point = FootPoint::ball;
};
/// Empty for a name that is no point.
std::optional<ContactPoint> contact_point(std::string_view name);

}  // namespace nb
