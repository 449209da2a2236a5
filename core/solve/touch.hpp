// Touch-ups of the stage angles, compiled: what turns bones after the pass angles, before root and contacts; and
// what brings hips, wrists, ankles, elbows, knees and head somewhere else.
//
//   turn, hand    core/touchup/turn.hpp, core/touchup/hand_pose.hpp, in the order of the layers; what is held by
//                 contacts afterwards stays.
//   place, tip    tip := tip + (1 - hold) w Q by: two bones as the reach has them, the tip keeps its turn; Q the
//                 body's heading or 1, hold what contacts hold of it.
//   place, mid    elbow or knee turned about start -> tip as near to mid + w Q by as it gets; the tip stays.
//   place, hips   the hip centre by w Q by, below contacts: feet stay where they are asked to be.
//   place, head   spine and neck bend until the head is there, or as near as they get (core/solve/chain_bend.hpp); it
//                 keeps its turn.
#pragma once
#include <memory>
#include <string>
#include <variant>
#include <vector>

#include "core/body/touch_layers.hpp"
#include "core/rest/character.hpp"
#include "core/solve/frames.hpp"
#include "core/touchup/hand_pose.hpp"
#include "core/touchup/turn.hpp"

namespace nb {

struct LimbOp;
struct Program;

struct PlaceOp {
    enum class Part { hips, tip, mid, head };
    TouchSpan when;
    double weight = 1.0;
    Part part = Part::tip;
    size_t limb = 0;  ///< of `Program::limbs`, for tip and mid
    bool is_by_heading = false;
    Vec3 by_m = Vec3::Zero();
    int S_support = -1;  ///< by the axes of this joint of the source, as it moves
};

/// What a person asked for beside the source's motion: no fault of the transfer there.
struct AskedTouch {
    TouchSpan when;
    std::vector<std::string> rows;  ///< roles and limbs that it moves
};

/// A bone that follows the one above it, turned by touch-ups itself.
struct TouchedFollower {
    int joint = -1, parent = -1;
    Quat R_PJ;                     ///< as it follows while none acts
    std::vector<TouchSpan> whens;  ///< of those that turn it
};

struct TouchProgram {
    std::vector<std::variant<TurnOp, FingersOp>> turns;
    std::vector<TouchedFollower> followers;  ///< of `turns`
    std::vector<PlaceOp> places;
    std::vector<AskedTouch> asked;  ///< of the stages angles and last
    std::vector<int> to_head;       ///< the joints that bend for the head, the first below the hips first
    int head = -1;
    std::shared_ptr<const RestAlignment> rest;  ///< the target's, of fingers
    Quat hips_rest_inverse;                     ///< R_WJ0^T of the hips: their heading is counted from it
    bool is_empty() const { return turns.empty() && places.empty(); }
    bool has_hips() const;
};

/// Those of the stage angles, into `program.touch`. `notes`: what does nothing and why, a sentence each. After angles
/// and limbs.
void compile_touches(const Skeleton& source, const Character& target, const TouchLayers& layers,
                     Program& program, std::vector<std::string>& notes);

/// Turns and fingers of one frame, after angles. Fills `target.touched_R_PJ`, where it has room.
void touch_turns(const Program& program, const SourceFrame& source, TargetFrame& target);
/// Tips, middle joints and head, after reach; bones of these alone, and what hangs on them.
void touch_places(const Program& program, const SourceFrame& source, TargetFrame& target,
                  const FrameCorrection* held);
/// By how much the hips are asked elsewhere; world, m. `R_hips`: after angles and `touch_turns`.
Vec3 touched_hips(const Program& program, const SourceFrame& source, const Quat& R_hips);

}  // namespace nb
