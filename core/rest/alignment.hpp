// Rest alignment: the turns that bring a rig from its stored rest into a stance, and what is known of them.
// How they are found: core/rest/solve.hpp; how they are corrected: core/rest/edit.hpp.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/body/roles.hpp"
#include "core/motion/take.hpp"
#include "core/rest/stance.hpp"

namespace nb {

enum class HingeSource { take, bind_pose, rest_bend, assumed };
std::string_view hinge_source_name(HingeSource source);
/// The source of that name; assumed for any other word.
HingeSource hinge_source(std::string_view name);

/// Axis about which a positive turn bends the elbow or knee, in world axes at the aligned rest.
struct Hinge {
    Vec3 n_W = Vec3::UnitX();
    HingeSource source = HingeSource::assumed;
};

struct StanceDeviation {
    std::string role;
    double direction_rad = 0.0;  ///< in the reference pose, before alignment
};

/// What a role's turn about its own length is taken from.
enum class RollSource {
    take,        ///< the axis about which the take bends elbow or knee
    bind_pose,   ///< the same in the pose the mesh was modelled in, or that pose itself
    rest_bend,   ///< the same in the reference pose
    finger_fan,  ///< the plane through wrist and knuckles
    hand_mesh,   ///< the flat of the hand's mesh
    palm,        ///< a finger, by the palm it grows from
    sole_mesh,   ///< the plane of the foot's mesh below
    sole_bones,  ///< a foot, level as in the reference pose
    own,         ///< the role keeps its own rest
    by_hand,     ///< turned by the person
    unknown      ///< nothing says: the least turn from the aligned bone above
};
std::string_view roll_source_name(RollSource source);
RollSource roll_source(std::string_view name);

/// How a role's rest was found.
struct RoleRest {
    RollSource roll = RollSource::unknown;
    double sure = 0.0;  ///< 0..1, of the roll
    bool is_roll_known() const { return roll != RollSource::unknown; }
    bool operator==(const RoleRest&) const = default;
};

/// Settings of the whole body, on top of the solved stance. Turns about the body's own left (+X), positive
/// toward the front.
struct BodyDials {
    double pelvis_tilt_rad = 0.0;  ///< hips alone
    double lean_rad = 0.0;         ///< spine, chest and neck
    double gaze_rad = 0.0;         ///< head, positive down
    double ground_m = 0.0;         ///< soles over the floor, positive: the body stands higher
    bool operator==(const BodyDials&) const = default;
};

struct RestAlignment {
    std::string name;       ///< as the person calls it
    Stance stance;          ///< it was solved for
    std::string reference;  ///< "rest pose", "bind pose", "first frame"
    /// Else it was read from a pose out of a motion: trunk and head were set upright, not kept.
    bool is_of_stance = true;
    std::vector<Quat> D_W;    ///< a joint: world turn from the stored rest to the aligned rest
    std::vector<Quat> R_WJ0;  ///< aligned rest, world rotation
    std::vector<Vec3> p_WJ0;  ///< aligned rest, hip centre above the origin, ankles at `ankle_height_m`
    std::map<std::string, Hinge> hinges;    ///< "arm.left", "leg.right" ...
    std::map<std::string, RoleRest> found;  ///< a role
    std::vector<StanceDeviation> deviations;
    double mean_deviation_rad = 0.0;
    double ankle_height_m =
        0.0;  ///< height of the ankle joint over the floor, foot flat; with `dials.ground_m`
    std::string ankle_reason;
    BodyDials dials;

    bool is_there() const { return !R_WJ0.empty(); }
};

/// The far end of a role's bone: the next joint of its chain, a finger, or an end site. False when none.
bool find_bone_end(const Skeleton& skeleton, const RoleMap& roles, std::string_view role, const Pose& pose,
                   Vec3& end_m);

/// Fills `R_WJ0` and `p_WJ0` from `D_W`.
void apply_alignment(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest);

/// The aligned rest as a pose.
inline Pose aligned_pose(const RestAlignment& rest) {
    return {rest.R_WJ0, rest.p_WJ0};
}

/// A role's turn from the stored rest, in the body frame relative to the parent role: E = D_parent^T D.
Quat relative_turn(const RoleMap& roles, const RestAlignment& rest, const std::string& role);

}  // namespace nb
