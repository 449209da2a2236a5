// The common stance: what two bodies stand in before motion crosses from one to the other.
//
// World axes, body facing +Z, its left +X. In the T: upper arms, forearms and hands level to the side, palms
// down, fingers straight and side by side, thumbs 40 degrees off the index toward the front, thighs and shins
// straight down, feet ahead with level soles, head level. The other stances turn the arms (upper arm and all
// it carries) about the body's own Z: both bodies stand in the same stance, so which one matters only to the
// eye and to what is kept.
#pragma once
#include <optional>
#include <string>
#include <string_view>

#include "core/body/plan.hpp"
#include "core/math/rotation.hpp"

namespace nb {

struct Stance {
    /// arms: upper arms lowered from level by `arms_down_rad` (0: the T; a quarter turn: along the body).
    /// own: nothing is made equal; the rig's own pose, turned ahead, stands for the other's stance.
    enum class Kind { arms, own };
    Kind kind = Kind::arms;
    double arms_down_rad = 0.0;
    bool straight_fingers = true;  ///< else as the reference pose has them
    bool closed_fingers = true;    ///< side by side; else the spread of the reference pose is kept
    std::optional<double> thumb_rad = deg_to_rad(40.0);  ///< off the index, in the palm; none: as it is
    bool level_clavicles = false;                        ///< else they keep their slope
    bool straight_spine = false;                         ///< spine and neck; else they keep their curve

    bool operator==(const Stance&) const = default;
};

/// "T", "A 45°", "along the body", "own".
std::string stance_name(const Stance& stance);
/// Reads "t", "a" (45 degrees), "a:30", "down", "own" into `stance`, fingers and the rest untouched; false
/// for anything else.
bool parse_stance(std::string_view text, Stance& stance);
/// The same as text: "t", "a:30", "down", "own".
std::string stance_text(const Stance& stance);

/// Direction of a *match* role in the T, unit vector in world axes.
Vec3 stance_direction(std::string_view role, double thumb_rad = deg_to_rad(40.0));
/// Axis of elbow or knee in the T: left elbow -Y, right elbow +Y, knees +X; a positive turn bends.
Vec3 stance_hinge(std::string_view limb);
/// Turn from the T to the stance, of a role of the arm or hand; identity for the rest of the body.
Quat stance_turn(const Stance& stance, std::string_view role);

}  // namespace nb
