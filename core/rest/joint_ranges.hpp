// How far joints turn beside what people's do.
//
// Turns since the aligned rest (arms out, palms down, facing +z, left is +x), of a bone beside the one it hangs on:
// Q = Q_a^T Q_b with Q = R_WJ R_WJ0^T; d is where the bone points then, in axes of the stance of the one it hangs on.
//
//   elbow, knee   the angle between the two bones; backward where the axis they bend about is turned over
//   wrist         down and up, to the thumb and to the little finger: angles of d out of the forearm's line
//   shoulder      back: d behind the chest; in and out: the twist of Q about the upper arm
//   hip           forward and back: d about the hips' own side axis; out and in: d out of the plane between the legs; twist
//   neck          head beside chest: its face down, up and round; to a side what is left
//
// Ranges: American Academy of Orthopaedic Surgeons, Joint Motion, 1965 (from memory).
#pragma once
#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/rest/character.hpp"

namespace nb {

struct JointRange {
    std::string_view part;  ///< of a role: "forearm", "head"
    std::string_view way;   ///< in words: "bends backward"
    double most_deg;
};

inline constexpr std::array<JointRange, 23> joint_ranges{{
    {"forearm", "bends", 150.0},
    {"forearm", "bends backward", 10.0},
    {"shin", "bends", 135.0},
    {"shin", "bends forward", 10.0},
    {"hand", "bends down", 80.0},
    {"hand", "bends up", 70.0},
    {"hand", "leans to the thumb", 20.0},
    {"hand", "leans to the little finger", 30.0},
    {"upperarm", "goes back", 60.0},
    {"upperarm", "turns in", 70.0},
    {"upperarm", "turns out", 90.0},
    {"thigh", "goes forward", 120.0},
    {"thigh", "goes back", 30.0},
    {"thigh", "goes out", 45.0},
    {"thigh", "goes in", 30.0},
    {"thigh", "turns in", 45.0},
    {"thigh", "turns out", 45.0},
    {"head", "bends down", 45.0},
    {"head", "bends up", 45.0},
    {"head", "leans left", 45.0},
    {"head", "leans right", 45.0},
    {"head", "turns left", 60.0},
    {"head", "turns right", 60.0},
}};

using JointAngles = std::array<double, joint_ranges.size()>;

/// A joint that has ranges, and the bone its turn is seen from; nothing is looked up in a frame.
struct RangedJoint {
    enum class Part { elbow, knee, wrist, shoulder, hip, neck } part;
    double left = 1.0;  ///< -1: of the right side
    int above = -1, joint = -1;
    Quat above_R_JW0, R_JW0;
};

/// Nothing for a role without ranges, a body without that role or the one above it, or without an alignment.
std::optional<RangedJoint> ranged_joint(const Character& body, const std::string& role);

/// By `joint_ranges`, deg; 0 where the way is not one of its part. Negative ways are 0.
JointAngles joint_angles_deg(const RangedJoint& ranged, const Quat& above_R_WJ, const Quat& R_WJ);
/// The same of a role in a pose; all 0 without it. `R_WJ`: of all joints.
JointAngles joint_angles_deg(const Character& body, const std::string& role, const std::vector<Quat>& R_WJ);

}  // namespace nb
