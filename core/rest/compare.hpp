// How far apart two bodies' rests are, role by role.
//
// Q_r = D_r D_r_solved^T is what a role's bone does beyond the solved T: it has lost bone axes and stored
// rest.
//   direction  angle between the bones' directions, Q s with s from joint to far end in the solved T (soles
//              and gaze: between Q_S z and Q_T z, z ahead)
//   roll       turn about that direction which is left of Q_T Q_S^T once the directions lie in each other
// Degrees everywhere; x degrees here are x degrees in every frame of a transfer by angles.
#pragma once
#include <string>
#include <vector>

#include "core/rest/character.hpp"

namespace nb {

struct RestGap {
    double direction_deg = 0.0;
    double roll_deg = 0.0;  ///< signed, about the source's direction

    double worst_deg() const;
};

struct RestRow {
    std::string role;
    RestRule rule = RestRule::match;
    RestGap stored;             ///< as the two files have it, both facing ahead
    RestGap now;                ///< in the alignments in force
    bool is_roll_known = true;  ///< by evidence on both sides
    bool is_carried = false;    ///< the gap is the one of the bone above, carried on
    double sure = 1.0;          ///< of the roll, the less sure of the two
    RollSource source_roll = RollSource::own, target_roll = RollSource::own;
};

/// One row for each role of both bodies whose rest rule asks for agreement (match, sole, gaze), worst first:
/// by what is left now, then by what the files have; a gap that a role only takes on from the bone above
/// comes after those that make it.
/// Fingers are left out on request: where the take moves none, their rests decide nothing.
std::vector<RestRow> compare_rests(const Character& source, const Character& target,
                                   bool with_fingers = true);

/// True when a finger of the body turns by more than a degree in the take.
bool moves_fingers(const Character& character, const Take& take);

/// Direction of a role's bone in an alignment: joint to far end, unit vector, world axes; zero when it has
/// none.
Vec3 aligned_direction(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                       const std::string& role);

}  // namespace nb
