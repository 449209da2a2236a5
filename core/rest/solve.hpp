// The rest solver: brings a whole body into a stance at once.
//
// Reference pose: the rest pose, the bind pose, or frame 0 of the take, whichever limbs deviate less from the
// T in the mean. It gives facing, what is kept (clavicles, spine, toes) and what nothing else says.
//
// Where no pose of the file is a stance (a file whose stored rest is a pose out of its own take) the take's mean
// pose stands for it, spine, neck and head are set upright, the shoulders' line to the side, and feet stand as
// they do where the ankle is lowest.
//
// Directions by rest rule (core/body/plan.hpp): *match* roles get the stance's; *sole* roles turn ahead and
// stand on a level sole; *gaze* looks level; *keep* keeps the reference's.
//
// Roll (the turn of a bone about its own length), strongest evidence first:
//   upper arm, thigh   the axis about which the take bends the limb, when it is steady in the bone's frame;
//                      the bend in the bind pose; the bend in the reference pose
//   forearm, shin      the same axis in its own frame when the take keeps it there within about 11 degrees;
//                      else with the bone above, as in the bind pose
//   hand               plane of wrist and knuckles (finger fan); flat of the hand's mesh when it is more than
//                      12 degrees off level; else with the forearm, as in the bind pose
//   fingers            their own bend; the palm
//   foot               sole of the mesh when one of them is more than 8 degrees off level; else level as
//                      it was
// Evidence in the bone's own frame does not change when the rig is stored in another rest pose. Where there
// is none the roll is *unknown*: the least turn from the aligned bone above.
//
// Ground: soles stand on the floor. By the lowest point of the mesh under foot and toe; without a mesh by the
// ankle's height in a pose that stands; else the lowest joint of the foot and a sole of common thickness.
#pragma once
#include "core/rest/alignment.hpp"
#include "core/rig/rig.hpp"

namespace nb {

struct RestRequest {
    const Take* take = nullptr;  ///< for evidence and as a reference; may be absent
    std::string reference;       ///< which reference pose to take; empty or not at hand: the nearest
    Stance stance;
};

/// Needs hips and both thighs; other roles as far as they are filled. Settings of the whole body are at zero.
RestAlignment solve_rest(const Rig& rig, const RoleMap& roles, const RestRequest& request);

/// A body on four legs: nothing is turned; the lowest paw stands on the floor.
RestAlignment rest_on_paws(const Rig& rig, const RoleMap& roles);

/// The rig as its file has it, turned ahead: nothing is made equal. `solved`: its T.
RestAlignment stored_rest(const Rig& rig, const RoleMap& roles, const RestAlignment& solved);

/// An alignment that stands in `pose` (world) as it is, turned ahead about the vertical; what is known of
/// hinges and rolls is taken over from `solved`, an alignment of the same rig.
RestAlignment rest_of_pose(const Rig& rig, const RoleMap& roles, const Pose& pose,
                           const RestAlignment& solved);

}  // namespace nb
