// Repairs that are made on load, on a skeleton and take already in the world (metres, +Y up).
#pragma once
#include <array>
#include <map>
#include <string>

#include "core/body/roles.hpp"
#include "core/motion/take.hpp"

namespace nb {

/// Bone names that were used before get _2, _3 ...: documents tell bones by name. Returns the new names.
std::vector<std::string> make_names_unique(Skeleton& skeleton);

/// Height of the lowest joint or end site of the feet (on four legs of all paws) in a pose; 1e30 without
/// feet.
double lowest_foot_point(const Skeleton& skeleton, const RoleMap& roles, const Pose& pose);

/// What stands over the origin: the hip centre; on four legs the middle of hips and shoulders.
Vec3 body_centre(const RoleMap& roles, const Pose& pose);

/// Moves the rest pose: its lowest foot point onto y = 0 when `on_floor`, its hip centre over the origin when
/// `over_origin`. A take's own places are not touched.
void stand_rest(Skeleton& skeleton, const RoleMap& roles, bool on_floor, bool over_origin);

/// A joint that turns away for one frame and comes back in the next: both steps over 25 degrees and over
/// eight times the median step of the joint around it, and the frames beside it within 30 % of the step of
/// each other. (Thresholds are this program's own.)
struct Break {
    int frame = 0;
    int joint = -1;
    double angle_rad = 0.0;
};
std::vector<Break> find_breaks(const Take& take);
/// The broken rotations become the middle of their neighbours.
void bridge(Take& take, const std::vector<Break>& breaks);

/// Parts of a body whose bones have lengths of their own: both sides, and one side of them alone.
inline constexpr std::array<const char*, 11> length_parts{"legs",      "arms",      "trunk",     "neck",
                                                          "hands",     "leg.left",  "leg.right", "arm.left",
                                                          "arm.right", "hand.left", "hand.right"};
/// Bone lengths times a factor, by part (`length_parts`): leg (thigh, shin), arm (upper arm, forearm), hand (what
/// hangs on it), trunk (from hips to shoulders), neck; of both sides and of one, both count. Rotations stay. With
/// the legs the path of the hip centre over the floor grows about the origin, above ankle height, by the mean of
/// both legs, so that feet of like legs stand as they stood.
void change_lengths(Skeleton& skeleton, const RoleMap& roles, const std::map<std::string, double>& factors,
                    Take* take);

}  // namespace nb
