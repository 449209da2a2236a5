// Which pose of a file the rest is read from, and what the take says where none of them is a stance. Internal
// to core/rest.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/rest/solve.hpp"

namespace nb {

/// A pose of the file: its stored rest, the bind pose, the first frame of its take.
struct Reference {
    std::string name;
    Pose pose;               ///< world; the take's mean where `is_stance` is false and there is a take
    double deviation = 0.0;  ///< of the limbs' directions from the T, mean, radians
    std::vector<StanceDeviation> deviations;
    /// Left and right limbs mirror each other: someone stands so on purpose. A pose out of a motion does not,
    /// and its lean and its turned head say nothing of the body's zero.
    bool is_stance = true;
};

/// World turn of the whole body that makes it face +Z with the thigh-joint line level.
Quat body_turn(const RoleMap& roles, const Pose& pose);

/// The one asked for when it is there, else the nearest to the T. `skeleton`: as the body is carried.
Reference choose_reference(const Skeleton& skeleton, const Rig& rig, const RoleMap& roles,
                           const RestRequest& request);

/// Up of a foot that stands, in the foot's own frame: its mean where the ankle is in the lowest tenth of its
/// heights. Empty without a take.
std::optional<Vec3> standing_up(const Skeleton& skeleton, const Take* take, int foot);

}  // namespace nb
