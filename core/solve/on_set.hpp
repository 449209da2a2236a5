// Pass hold, hands on what stands beside the body (core/contact/on_set.hpp): the hand follows it.
//
// What stands there is scaled about its place as the body travels, a thing that lies keeps its size where the place map
// puts it. So a point of the hand (palm, tips) that is at x in the source goes to
//
//   g = M(x)                      on what stands still; M the place map
//   g = X_T X_S^-1 x              on a thing: X_S where it is in the source, X_T beside the target
//
// resting and gliding alike. Led there and away, and smoothed along time, as hands that touch the own skin are
// (core/solve/hand_shifts.hpp). On another body of a scene it goes, turn and place, where that says (core/solve/beside.hpp).
// What the arm lacks beyond a stretch of 0.94, or what it has, the clavicle gives by its own
// share and the trunk by the share that is asked for; the rest is eased, so that the elbow does not stop at once.
#pragma once
#include <vector>

#include "core/motion/take.hpp"
#include "core/solve/frames.hpp"
#include "core/solve/hand_span.hpp"

namespace nb {

/// Within which a hand that comes to another body, or leaves it, is let into that more and more, s.
inline constexpr double near_other_s = 0.15;

struct BodySurface;
struct HandMarks;
struct LimbOp;
struct PairedBodies;
struct Program;

struct SetHand {
    size_t limb = 0;  ///< of `Program::limbs`
    int S_hand = -1, T_hand = -1;
    Vec3 S_point_J = Vec3::Zero(), T_point_J = Vec3::Zero();
    int S_thing = -1;  ///< the thing that lies; -1: what stands still
    HandSpan when;
    int beside = -1;                ///< of `Beside::hands`: it lies on another body, by that alone
    std::vector<int> T_below = {};  ///< then: the hand and all below it
};

void compile_on_set(const PairedBodies& bodies, const Take& take, const HandMarks& marks,
                    const BodySurface& T_surface, Program& program);
/// Hands that lie on other bodies, as `Program::beside` has them.
void compile_beside(const PairedBodies& bodies, Program& program);
/// Whether a limb's hand lies there at a time; `limb`: of `limb_names`.
bool lies_on_set(const Program& program, size_t limb, double t_s);
/// Whether it lies on another body of the scene then.
bool lies_on_other(const Program& program, size_t limb, double t_s);
/// How far it is led to another body's arm, or to any other part of one, 0..1: within `touch_lead_s` and `near_other_s` of that.
double on_arm_led(const Program& program, size_t limb, double t_s);
double on_other_led(const Program& program, size_t limb, double t_s);
/// How far it is led to what stands beside the body, 0..1.
double on_set_led(const Program& program, size_t limb, double t_s);
/// Brings a wrist to `to` (world, m), or as near as that allows.
void put_on_set(const Program& program, const LimbOp& arm, const Vec3& to, const SourceFrame& source,
                TargetFrame& target);
/// Turns a hand that lies on another body, world; what hangs on it follows.
void turn_on_set(const Program& program, size_t limb, const Quat& by, const SourceFrame& source,
                 TargetFrame& target);
/// Puts a hand that lies there to its place, in this frame alone: what that adds.
HandShift set_shift(const Program& program, size_t limb, const SourceFrame& source, TargetFrame& target);

}  // namespace nb
