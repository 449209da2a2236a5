// Touch-up turn: a bone and what hangs on it turned beyond what the transfer gives.
//
// About axes of the bone or of the bone above it is the same turn in every frame as the same correction of the aligned
// rest would make: with v in the world of the aligned rest every joint k at and below the bone gets
//   R_WJ := R_WJ exp(w R_WJ0^T v),     w the weight there.
// About axes of the body's heading or of the world, which stand where they stand in a frame, the part turns as one
// piece: R_WJ := exp(w Q v) R_WJ, Q the heading or 1. Places follow from the turns.
#pragma once
#include <span>
#include <string>
#include <vector>

#include "core/body/touch_layers.hpp"
#include "core/rest/alignment.hpp"

namespace nb {

/// One bone's turn, compiled: nothing is looked up or allocated in a frame.
struct TurnOp {
    TouchSpan when;
    double weight = 1.0;        ///< of its layer
    bool is_one_piece = false;  ///< about heading or world
    bool is_by_heading = false;
    Vec3 v_W = Vec3::Zero();  ///< of one piece: rotation vector in heading or world
    std::vector<int> joints;  ///< the bone and all below it
    std::vector<Vec3> v_J;    ///< else: of each joint, in its own frame
};

/// The ops of a touch-up of kind turn: one, two with the other side, none for a role without a bone. `rest`: the
/// alignment in force.
std::vector<TurnOp> compile_turn(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                                 const TouchUp& touch, double layer_weight);

/// Turns the joints of one frame (world rotations, one a joint). `heading_rad`: yaw of the body there.
void turn_frame(const TurnOp& op, double t_s, double heading_rad, std::span<Quat> R);

}  // namespace nb
