// Pass touch: what of a hand comes near the own skin in the source lies as near to the same place of the target's.
//
// For each hand point (palm, tip) and each part b of the body but its own arm, from the source alone:
//
//   w   1 up to 3 cm over the skin of b, 0 from 12 cm on, a smooth step between, at 175 cm
//   x_b the point at the source's (s, phi, cap) on the target's part, h by how thick the parts are, never by less
//       than how tall the bodies are
//   e_b the whole hand and the forearm toward it, by points over their skin: where they touch in the source (up to 1 cm;
//       fading to 3 cm) their least height over b in the source less that of the target, else what the target's lacks
//       to 8 mm or to the source's own; along the skin's normal. So a thicker hand does not sink in and a thinner one does
//       not float
//   hand's tip: by  sum w (x_b - x) / max(1, sum w),  x what angles and reach give
//   its turn:   by  sum w log(L_T L_S^T) / max(1, sum w),  L how the skin lies there (out of it and round the bone)
//
// The arm is brought there as reach does it; what its length lacks the clavicle gives by a share. Nothing near:
// nothing changes. Sources: core/surface/surface.hpp.
#pragma once
#include <memory>
#include <vector>

#include "core/solve/frames.hpp"
#include "core/surface/surface.hpp"

namespace nb {

struct LimbOp;
struct PairedBodies;
struct Program;

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
    };
    std::vector<Skin> S_skin, T_skin;
    double S_long_m = 0.0, T_long_m = 0.0;  ///< no point of the skin is farther from the wrist
    /// A part of the source's surface and what is that of the target's: s_T = s_at_0 + s_by_s s_S.
    struct PartPair {
        size_t S = 0, T = 0;
        double s_at_0 = 0.0, s_by_s = 1.0;
    };
    std::vector<PartPair> parts;
};

struct NearProgram {
    BodySurface S, T;
    std::vector<NearHand> hands;
    double by_stature = 1.0;    ///< of the target by the source
    double to_reference = 1.0;  ///< source's metres to those at 175 cm
};

/// Arms of bodies on two legs. After `compile_limbs`.
void compile_near(const PairedBodies& bodies, Program& program);
void pass_near(const Program& program, const SourceFrame& source, TargetFrame& target);

/// The arm brings its hand on by `by` (world, m); what its length lacks the clavicle gives by a share. All below follows.
void bring_arm(const Program& program, const LimbOp& limb, Vec3 by, const SourceFrame& source,
               TargetFrame& target);

/// The points of a hand that touch, in its joint's frame, m: palm (half way to the knuckle of the middle finger, on
/// the skin of the palm) and tip. Empty without a hand.
std::vector<Vec3> hand_points(const Character& character, const BodySurface& surface, Side side);

}  // namespace nb
