// Hand poses on a rig: the shipped set, those of one's own, and how fingers go into them (core/body/hand_pose.hpp says
// what is given). A finger of n bones takes the same whole bend, spread over its bones as over thirds of the finger.
#pragma once
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/body/hand_pose.hpp"
#include "core/body/touch_layers.hpp"
#include "core/rest/alignment.hpp"

namespace nb {

/// straight, relaxed, fist, grip, point, spread. Bends within what living hands do (85, 100, 70 degrees at knuckle,
/// middle and last joint of a finger; American Academy of Orthopaedic Surgeons, from memory).
std::span<const HandPose> shipped_hand_poses();
/// Null for a name that is none of them.
const HandPose* shipped_hand_pose(std::string_view name);
/// Of a touch-up of kind hand: the one it brings along, else the shipped one of its name; null when there is none.
const HandPose* pose_of(const TouchUp& touch);

/// One joint of a hand, turned by a pose.
struct PosedFinger {
    int joint = -1;
    Quat R_HF;  ///< from the hand's frame, in the pose
};
/// Turns of a finger in as many equal parts, given in others: together they turn as much.
std::vector<double> spread_over(std::span<const double> given, int count);

/// The finger joints of one side in a pose, those above before those below. `opening`: 0 as posed .. 1 straight. Empty
/// without hand or fingers.
std::vector<PosedFinger> pose_hand(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                                   std::string_view side, const HandPose& pose, double opening);

/// The hand as it is shown, as a pose: put on the same rig it gives the same fingers. A digit that the hand lacks is as
/// the one beside it; what lies between thirds of a finger of other than three bones is evened out. Nothing without a
/// hand or fingers.
std::optional<HandPose> hand_pose_of(const Skeleton& skeleton, const RoleMap& roles,
                                     const RestAlignment& rest, std::string_view side, const Pose& shown,
                                     const std::string& name);

/// The fingers of one hand, posed by a touch-up.
struct FingersOp {
    TouchSpan when;
    double weight = 1.0;  ///< of its layer
    int hand = -1;
    bool is_added = false;
    std::vector<PosedFinger> fingers;
};
/// Of a touch-up of kind hand: one hand, both with the other side; none for a pose or hand that there is not.
std::vector<FingersOp> compile_fingers(const Skeleton& skeleton, const RoleMap& roles,
                                       const RestAlignment& rest, const TouchUp& touch, double layer_weight);

/// Puts the fingers of one frame (world rotations) on the hand by `weight`: 1 instead of the take's own; between, on
/// the shortest way. `is_added`: the pose's turns come on top of the fingers' own instead.
void set_fingers(const RestAlignment& rest, int hand, const std::vector<PosedFinger>& fingers, double weight,
                 bool is_added, std::span<Quat> R);

}  // namespace nb
