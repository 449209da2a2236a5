// Hand poses: turns of fingers since the straight aligned hand, so that one pose fits every rig and any count of
// fingers and of their bones.
//
// In the aligned T the fingers lie straight along the arm, palm down (core/rest/stance.hpp). A finger's bends are about
// the axis across the palm, toward it; its spread is about the palm's normal, positive away from the middle finger (of
// the thumb: away from the index). Given for three bones from the knuckle on; a finger of n bones takes the same whole
// bend, spread over its bones as over thirds of the finger. The thumb turns about the arm's line by `oppose`, and bends
// across its own direction, toward the little finger.
#pragma once
#include <array>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/body/touch_layers.hpp"
#include "core/rest/alignment.hpp"

namespace nb {

inline constexpr std::array<const char*, 5> digits{"thumb", "index", "middle", "ring", "little"};

struct HandPose {
    struct Digit {
        std::array<double, 3> bend_rad{};
        double spread_rad = 0.0;
    };
    std::string name;
    std::array<Digit, 5> of;  ///< by `digits`
    double oppose_rad = 0.0;  ///< of the thumb
};

/// straight, relaxed, fist, grip, point, spread. Bends within what living hands do (85, 100, 70 degrees at knuckle,
/// middle and last joint of a finger; American Academy of Orthopaedic Surgeons, from memory).
std::span<const HandPose> shipped_hand_poses();
/// Null for a name that is none of them.
const HandPose* shipped_hand_pose(std::string_view name);

/// One joint of a hand, turned by a pose.
struct PosedFinger {
    int joint = -1;
    Quat R_HF;  ///< from the hand's frame, in the pose
};
/// Bends of a finger of `count` bones that together bend as much as the three.
std::vector<double> bends_over(const std::array<double, 3>& of_three, int count);

/// The finger joints of one side in a pose, those above before those below. `opening`: 0 as posed .. 1 straight. Empty
/// without hand or fingers.
std::vector<PosedFinger> pose_hand(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                                   std::string_view side, const HandPose& pose, double opening);

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
