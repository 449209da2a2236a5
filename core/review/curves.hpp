// Curves of one bone over time, of source and target alike, to be laid over each other.
#pragma once
#include <array>
#include <string>
#include <string_view>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/motion/place_map.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// height, ahead, aside  place of the joint, along +Y, +Z, +X, cm
/// bend        angle between its turn and its parent role's, both since the aligned rest: of Q_a^T Q_b, degrees
/// turn        angle of its own turn since the aligned rest, degrees
/// speed       |p(t+1) - p(t-1)| / (2 dt), cm/s
/// turn_speed  angle from R(t-1) to R(t+1) / (2 dt), degrees/s
enum class BoneQuantity { height, ahead, aside, bend, turn, speed, turn_speed };
inline constexpr std::array<BoneQuantity, 7> bone_quantities{
    BoneQuantity::height, BoneQuantity::ahead, BoneQuantity::aside,     BoneQuantity::bend,
    BoneQuantity::turn,   BoneQuantity::speed, BoneQuantity::turn_speed};
std::string_view bone_quantity_name(BoneQuantity quantity);
std::string_view bone_quantity_unit(BoneQuantity quantity);

/// One value a frame, the source's by the place map, so that both can be compared;
/// empty when the role is not there. Speeds of the first and last frame are their neighbours'.
std::vector<double> bone_curve(const Character& character, const WorldMotion& motion, const std::string& role,
                               BoneQuantity quantity, double frame_time_s, const PlaceMap& map = {});

}  // namespace nb
