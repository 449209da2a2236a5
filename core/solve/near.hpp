// Pass touch: a hand that touches the own skin in the source lies at the same place of the target's.
//
// It acts while a hand touches (core/contact/touches.hpp) and is led in and out (core/solve/hand_shifts.hpp; for a frame
// alone by g, within the same time); elsewhere nothing changes. For each hand point (palm, tip; the back of the hand where it touches) and each part b of the body but its own arm, from the source alone:
//
//   w   of what is touched g; of what is near beside it g times 1 up to 3 cm over the skin of b, 0 from 12 cm on, a
//       smooth step between, at 175 cm, falling to nothing 2 cm behind what is nearest
//   x_b the point at the source's (s, phi, cap) on the target's part, h by how thick the parts are, never by less
//       than how tall the bodies are
//   e_b the whole hand and the forearm toward it, by points over their skin: where they touch in the source (up to 1 cm;
//       fading to 3 cm) their least height over b in the source less that of the target, else what the target's lacks
//       to 8 mm or to the source's own; along the skin's normal, by g. So a thicker hand does not sink in and a thinner one does
//       not float. Where the take touches nothing of b the forearm may lie 12 mm deeper, before it lifts the hand off what that touches.
//       Where the place is out of the arm's reach (by 1 cm and more, wholly by 5) the hand goes round the shoulder out of what
//       lies between, away from the bone it should lie on
//   hand's tip: by  sum w (x_b - x) / max(1, sum w),  x what angles and reach give
//   its turn:   by  sum w log(L_T L_S^T) / max(1, sum w),  L how the skin lies there (out of it and round the bone)
//
// The arm is brought there as reach does it; what its length lacks the clavicle gives by a share. Nothing near:
// nothing changes. Sources: core/surface/surface.hpp.
#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "core/solve/frames.hpp"
#include "core/solve/hand_span.hpp"
#include "core/solve/same_part.hpp"
#include "core/surface/hand_points.hpp"
#include "core/surface/surface.hpp"

namespace nb {

struct HandMarks;
struct LimbOp;
struct PairedBodies;
struct Program;

/// Of what an arm lacks to where its hand is brought the clavicle gives so much.
inline constexpr double clavicle_gives_hands = 0.6;

struct NearHand {
    struct Point {
        Vec3 S_J, T_J;  ///< in the hands' frames, m
    };
    size_t limb = 0;  ///< of `Program::limbs`
    int S_hand = -1, T_hand = -1;
    std::vector<int> T_below;  ///< the hand and all below it: turn with it
    std::vector<Point> points;
    /// Points all over hand and the forearm toward it, in their joints' frames, m.
    struct Skin {
        int joint = -1;
        std::vector<Vec3> points_J;
        Vec3 middle_J = Vec3::Zero();
        double about_m = 0.0;  ///< no point is farther from the middle
    };
    std::vector<Skin> S_skin, T_skin;
    std::vector<PartPair> parts;
    struct Touch {
        HandSpan when;
        size_t point = 0, S_part = 0;
    };
    std::vector<Touch> touches;  ///< of this hand in the take; none: it is left alone

    /// g
    double led(double t_s) const;
    /// The same of a point on a part alone.
    double led(double t_s, size_t point, size_t S_part) const;
};

/// An elbow that lies on a leg: the upper arm turns until it is at the same place of the target's skin, or as near as it
/// gets; what is missing the clavicle and the trunk give as for hands. The forearm keeps its turn. A sole on the other leg:
/// the leg brings it there.
struct NearElbow {
    struct Touch {
        HandSpan when;
        PartPair part;
    };
    size_t limb = 0;  ///< of `Program::limbs`
    bool is_sole = false;
    Vec3 S_J, T_J;  ///< tip of the elbow in the forearms' frames, middle of the sole in the feet's, m
    std::vector<Touch> touches;
};

struct NearProgram {
    BodySurface S, T;
    std::vector<NearHand> hands;
    std::vector<NearElbow> elbows;
    double by_stature = 1.0;    ///< of the target by the source
    double to_reference = 1.0;  ///< source's metres to those at 175 cm
};

/// Its points and skins on both bodies; no parts and no touches yet. `index`: of `limb` in the program.
NearHand near_hand(const PairedBodies& bodies, const BodySurface& S, const BodySurface& T, const LimbOp& limb,
                   size_t index);

/// A hand's own bodies, and those it lies on: the same, or in a scene others (core/scene).
struct HandFrames {
    SourceFrame source, target, S_on, T_on;
};
/// How a whole hand goes to skins: to what it touches in the source, else it is kept from sinking in alone.
struct WholeHand {
    bool touches = true;
    double out_of_reach = 0.0;  ///< 0..1: the place it should have cannot be reached
    Vec3 way = Vec3::Zero();    ///< by which it then goes out of what it has sunk in, world, unit
};
/// What hand and forearm lack in height over the parts of `near`: what is touched is touched, and nothing sinks in deeper than
/// in the source; world, m. `in_source`: least heights in the source by pair, once they are known. `deepest`: what has sunk in
/// most, of how thick that part is.
Vec3 by_whole_hand(const NearProgram& near, const NearHand& hand, const HandFrames& frames, WholeHand how,
                   std::vector<std::optional<double>>& in_source, double* deepest = nullptr);

/// How far a limb's hand is led to the skin at a time, 0..1; and whether it is at all.
double touch_led(const Program& program, size_t limb, double t_s);
inline bool touches_skin(const Program& program, size_t limb, double t_s) {
    return touch_led(program, limb, t_s) > 0.0;
}

/// Hands of bodies on two legs that touch in a take. After `compile_limbs`.
void compile_near(const PairedBodies& bodies, const Take& take, const HandMarks& marks,
                  const BodySurface& T_surface, Program& program);
/// Elbows and soles on legs, before hands; part of the pass touch.
void pass_elbows(const Program& program, const SourceFrame& source, TargetFrame& target);
/// Hands on the own skin, and on what stands there (core/solve/on_set.hpp). `held`: what it adds there when that is known of
/// the whole take; null: found in this frame alone, in which a hand is put only where it lies.
void pass_near(const Program& program, const SourceFrame& source, TargetFrame& target,
               const FrameCorrection* held = nullptr);
/// What of hand and forearm lies deeper in the body than in the source, once a hand is shifted so: by which it comes out of
/// it; does it. For hands on their way to a touch and from it.
HandShift shift_clear(const Program& program, const NearHand& hand, const HandShift& shift,
                      const SourceFrame& source, TargetFrame& target);
/// What it does to a hand that touches, in this frame alone; does it.
HandShift shift_of(const Program& program, const NearHand& hand, const SourceFrame& source,
                   TargetFrame& target);

/// The same until the wrist is at `to` (world, m), or as near as it gets.
void bring_wrist(const Program& program, const LimbOp& limb, const Vec3& to, const SourceFrame& source,
                 TargetFrame& target);
/// The arm brings its hand on by `by` (world, m); what its length lacks the clavicle gives by a share. All below follows.
void bring_arm(const Program& program, const LimbOp& limb, Vec3 by, const SourceFrame& source,
               TargetFrame& target);

}  // namespace nb
