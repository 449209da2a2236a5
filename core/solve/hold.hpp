// Pass hold: things in hands.
//
// A thing that is not held stands where the place map puts it: M(p), turned as in the source, at its own size. Held
// (core/contact/grips.hpp) it goes with the hands: with g_i where angles and reach have the target's grip points and c_i
// where they are on the thing,
//
//   R = exp(u12 log(shortest arc of R_S (c_1 - c_2) onto g_1 - g_2)) R_S     one hand alone: R_S
//   p = (1 - u) M(p_S) + u sum u_i (g_i - R c_i) / sum u_i
//
// which for one or two grips is the rigid least squares of the grips onto the hands' goals that turns least from the
// source's own turn (Horn, Closed-form solution of absolute orientation, 1987, from memory). u_i rises from 0 where a
// hand takes hold to 1 half a second on and falls as it lets go (not at the take's ends), u is the largest of them.
// Then each hand is put exactly onto the thing: before it takes hold and after it has let go it is led there and away
// within 0.35 s; in a scene from farther than 8 cm (at 175 cm) longer, by sqrt(distance / 8 cm), 1 s at most. An arm
// that cannot reach it nears its whole length softly (core/solve/stretch.hpp), 0.6 of what is missing the clavicle gives. Where the thing leads
// u is 0 throughout and the hands follow it; c_i go with its size. The grip lies on the target's hand where it lies on the
// source's, by the length of the hands.
#pragma once
#include <array>
#include <vector>

#include "core/motion/take.hpp"
#include "core/solve/frames.hpp"
#include "core/solve/hand_span.hpp"

namespace nb {

struct BodySurface;
struct HandMarks;
struct PairedBodies;
struct Program;

/// Within which a hand is led to a thing and away from it, s.
inline constexpr double hold_lead_s = 0.35;

struct HeldThing {
    struct Hand {
        size_t limb = 0;  ///< of `Program::limbs`
        int T_hand = -1;
        Vec3 on_hand_J = Vec3::Zero(), on_thing_J = Vec3::Zero();
        HandSpan when;
    };
    int S_thing = -1;
    bool leads = false;  ///< the hands follow it
    double scale = 1.0;  ///< of the thing beside the target
    std::vector<Hand> hands;
};

/// From a grip on the source's hand to that on the target's: beside the palm, in axes of the common stance, by the length
/// of the hands.
struct GripMap {
    Vec3 S_palm_J = Vec3::Zero(), T_palm_J = Vec3::Zero();
    double by_length = 1.0;
    Quat S_R0 = Quat::Identity(), T_R0 = Quat::Identity();  ///< R_WJ0 of the hands
    Vec3 on_target(const Vec3& on_hand_J) const {
        const Vec3 beside_W = S_R0 * Vec3(on_hand_J - S_palm_J);
        return T_palm_J + by_length * (T_R0.conjugate() * beside_W);
    }
};
/// Of the left and the right hand. After `compile_limbs`.
std::array<GripMap, 2> grip_maps(const PairedBodies& bodies, const BodySurface& S_surface,
                                 const BodySurface& T_surface, const Program& program);

/// How far a limb's hand is led to a thing at a time, 0..1; and whether it is at all.
double hold_led(const Program& program, size_t limb, double t_s);
inline bool holds_thing(const Program& program, size_t limb, double t_s) {
    return hold_led(program, limb, t_s) > 0.0;
}
/// The same to a thing whose place a scene has.
double shared_led(const Program& program, size_t limb, double t_s);

void compile_holds(const PairedBodies& bodies, const Take& take, const HandMarks& marks,
                   const BodySurface& T_surface, Program& program);
void pass_hold(const Program& program, const SourceFrame& source, TargetFrame& target);

/// What a thing is scaled by beside the target: 1 or the place map's k (`ThingRule`).
double thing_scale(const Program& program, int S_thing);

/// Where a thing of the source (a root joint beside the body) is beside the target, world: with the hands that hold it, else
/// by the place map. `target`: the whole result of that frame, seen as a source is.
Rigid thing_beside(const Program& program, int S_thing, const SourceFrame& source, const SourceFrame& target);

/// How far a body's own hands have a thing, 0..1, and where they have it; whatever a scene says.
struct ThingInHands {
    double share = 0.0;
    Rigid X;  ///< without a meaning where the share is 0
};
ThingInHands thing_in_hands(const Program& program, int S_thing, const SourceFrame& source,
                            const SourceFrame& target);

}  // namespace nb
