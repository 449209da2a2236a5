// Rest alignment: the rotations that bring a rig into the common stance, found from the best reference
// pose that the file offers.
//
// Common stance (world axes, body facing +Z, its left +X): arms level, palms down, fingers straight,
// thumbs 40 degrees off the index toward the front, legs straight down, feet ahead, thigh-joint line level.
// Directions are made equal for roles with the rule *match*; feet (*sole*) keep the level they have in the
// reference pose and turn ahead; *keep* and *gaze* roles keep their own rest, turned with the body.
//
// Reference pose: the rest pose, the bind pose, or frame 0 of the take, whichever limbs deviate less from the
// stance in the mean. The turn of a bone about its own length is taken from the hinge of elbow or knee where
// the reference pose bends it or the take shows it; elsewhere it is the least turn, and the hinge is
// *assumed*.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/body/roles.hpp"
#include "core/motion/take.hpp"

namespace nb {

enum class HingeSource { rest_bend, take, assumed };
std::string_view hinge_source_name(HingeSource source);

/// Axis about which a positive turn bends the elbow or knee, in world axes at the aligned rest.
struct Hinge {
    Vec3 n_W = Vec3::UnitX();
    HingeSource source = HingeSource::assumed;
};

struct StanceDeviation {
    std::string role;
    double direction_rad = 0.0;  ///< in the reference pose, before alignment
};

struct RestAlignment {
    std::string reference;    ///< "rest pose", "bind pose", "first frame"
    std::vector<Quat> D_W;    ///< a joint: world turn from the stored rest to the aligned rest
    std::vector<Quat> R_WJ0;  ///< aligned rest, world rotation
    std::vector<Vec3> p_WJ0;  ///< aligned rest, hip centre above the origin, ankles at `ankle_height_m`
    std::map<std::string, Hinge> hinges;  ///< "arm.left", "leg.right" ...
    std::vector<StanceDeviation> deviations;
    double mean_deviation_rad = 0.0;
    double ankle_height_m = 0.0;  ///< height of the ankle joint over the floor, foot flat
    std::string ankle_reason;
};

/// Direction of a *match* role in the common stance, unit vector in world axes.
Vec3 stance_direction(std::string_view role);
/// Axis of elbow or knee in the common stance: left elbow -Y, right elbow +Y, knees +X.
Vec3 stance_hinge(std::string_view limb);

/// The far end of a role's bone: the next joint of its chain, a finger, or an end site. False when none.
bool find_bone_end(const Skeleton& skeleton, const RoleMap& roles, std::string_view role, const Pose& pose,
                   Vec3& end_m);

/// `take` may be null. Needs hips and both thighs; other roles as far as they are filled. `reference` names
/// the reference pose to take ("rest pose", "bind pose", "first frame"); empty or not at hand: the nearest.
RestAlignment align_rest(const Skeleton& skeleton, const RoleMap& roles, const Take* take,
                         const std::string& reference = {});

/// Fills `R_WJ0` and `p_WJ0` from `D_W`.
void apply_alignment(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest);

}  // namespace nb
