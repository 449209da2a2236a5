// Correcting a rest alignment by hand. All edits turn a role's bone with everything that hangs on it; the
// other side follows about the body's own plane (x = 0 of the aligned rest), whatever the bone axes.
#pragma once
#include <string>
#include <vector>

#include "core/body/turn_axes.hpp"
#include "core/rest/alignment.hpp"

namespace nb {

/// Turns a role's bone by `turn_W` (world axes of the aligned rest), and with `mirrored` the other side's by
/// its mirror image. Nothing happens for a role without a bone.
void turn_bone(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest, const std::string& role,
               const Quat& turn_W, bool mirrored);

/// The turn about the plane x = 0: (w, x, -y, -z).
Quat mirrored_turn(const Quat& turn);
/// The same of a rotation vector.
Vec3 mirrored_vector(const Vec3& turn);

/// Gives the roles the turn relative to their parents that they have in `from`, an alignment of the same rig
/// (one just solved; the rig as stored). Roles in the order of their chain.
void take_from_alignment(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest,
                         const RestAlignment& from, const std::vector<std::string>& which);

/// The role, and with it its limb from the body outward: arm with hand and fingers, leg with foot, spine,
/// neck.
std::vector<std::string> limb_of_role(const RoleMap& roles, const std::string& role);

/// All filled roles, those of bones above before those below.
std::vector<std::string> roles_in_order(const RoleMap& roles);

/// Frame of the axes a role is turned about, R_WA: of the bone, of the bone above, of the hips' heading, of
/// the world; in the aligned rest before the correction, so that numbers can be typed again.
Quat axes_of(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& solved,
             const std::string& role, TurnAxes axes);

/// What was corrected of a role by hand, beyond `solved` (an alignment of the same rig): X, then Y, then Z,
/// degrees about the moving axes. `near_deg` chooses among equal triples.
Vec3 correction_deg(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                    const RestAlignment& solved, const std::string& role, TurnAxes axes,
                    const Vec3& near_deg = Vec3::Zero());
/// Makes the correction exactly that.
void set_correction(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest,
                    const RestAlignment& solved, const std::string& role, TurnAxes axes, const Vec3& deg,
                    bool mirrored);

enum class Snap { level, vertical, straight };
/// Turns a bone the least way level, vertical, or straight on from the bone above. False when the bone has no
/// length or stands square to what is asked.
bool snap_bone(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest, const std::string& role,
               Snap snap, bool mirrored);

/// Makes roles stand as the other body's do: R = D_other D_other_solved^T, carried over onto the own solved
/// rest. Both solved for one stance. Roles one of them lacks stay.
void copy_stance(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest,
                 const RestAlignment& solved, const RoleMap& other_roles, const RestAlignment& other,
                 const RestAlignment& other_solved, const std::vector<std::string>& which);

/// What stood in `rest` beyond its `solved`, on top of another solved rest of the same body: after its file
/// was read in another way, or roles changed. Roles that only one of them has are as solved.
RestAlignment carried_over(const RoleMap& roles, const RestAlignment& rest, const RestAlignment& solved,
                           const Skeleton& new_skeleton, const RoleMap& new_roles,
                           const RestAlignment& new_solved);

/// Equal in name, stance and settings, and in every turn within 1e-9 rad.
bool is_same_alignment(const RestAlignment& a, const RestAlignment& b);
/// One by one, in their order.
bool are_same_alignments(const std::vector<RestAlignment>& a, const std::vector<RestAlignment>& b);

/// Settings of the whole body in the place of those in force.
void set_dials(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest, const BodyDials& dials);

}  // namespace nb
