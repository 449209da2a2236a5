// Pass clear: forearms and hands stay out of trunk, head, legs and the other arm, shins and feet out of the other leg.
//
// What is wanted, for every part of the body a limb can run into: height at least min(m, k h_S, h_0), with h_S the least
// height of the source's own limb over that group of parts (trunk, head, a leg, the other arm), k the statures (1 at most),
// h_0 that of the target at its aligned rest, m the limb's margin, by itself 0 (of wide forearms 6 mm at 175 cm). Groups that it may touch are left out. So
// without a margin nobody is put farther out than skin on skin, what sinks in in the source may sink in as deep, and a body
// whose rest lies in itself keeps that.
//
// In a scene arms stay out of the other bodies beside (core/solve/beside.hpp) in the same way: as deep as in the source, but 2 cm at
// most unless all are the sources' own bodies (where skins are rounder than surfaces the source seems deeper than it is), and no rest
// to go by; the others' legs and trunks do not give, of two arms each gives half. Arms of hands on each other ask for nothing, and
// for more and more as these part; where a hand lies on another body what is near asks less within 0.15 s of that. The tip of an arm that holds what the scene has stays: its place is said.
//
// Heights: points all over hand and forearm over the radial surfaces (core/surface/surface.hpp); arm to arm and leg to
// leg by capsules with unlike ends (core/surface/capsule.hpp).
//
// What a limb does where it is deeper: its middle joint turns about start -> tip by theta, which leaves hand and foot where they
// are; what that lacks the tip goes out of the skin, d (feet along the floor only). Found over the take, smooth in time
// (core/solve/clear_way.hpp). A foot that is held and a hand that touches do not move: there knee and elbow alone give.
// Hands that hold a thing take it along; two of them not along the line between them. Where nothing meets nothing changes, to
// the bit. A target whose skin is guessed by breadths is left alone. What touch-ups place goes on from there.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/solve/frames.hpp"
#include "core/surface/capsule.hpp"
#include "core/surface/surface.hpp"

namespace nb {

struct Beside;
struct PairedBodies;
struct Program;

/// What a limb may run into, by groups of parts.
enum class ClearGroup : size_t { trunk, head, leg_left, leg_right, other_arm };
inline constexpr size_t clear_groups = 5;

/// A body's skin as the pass looks at it.
struct ClearBody {
    struct Part {
        size_t surface = 0;  ///< of `surface.parts`
        ClearGroup group = ClearGroup::trunk;
        Capsule capsule_J;  ///< in its joint's frame
    };
    struct SkinPoint {
        Vec3 at_J = Vec3::Zero();
        double along = 1.0;  ///< of the lower bone, 0 at the middle joint, 1 at the tip and beyond
    };
    /// Forearm or shin, hand or foot.
    struct Bone {
        int joint = -1;
        bool is_end = false;
        Capsule capsule_J;
        std::vector<SkinPoint> points;
        Vec3 middle_J = Vec3::Zero();  ///< of the points
        double around_m = 0.0;         ///< no point is farther from it
    };
    struct Limb {
        std::vector<Bone> bones;
        double long_m = 0.0;  ///< no point of them is farther from the tip
        bool is_wide =
            false;     ///< a forearm in plates, say, or beside thighs or a trunk as wide: it has more points
        int tip = -1;  ///< joint
        std::vector<size_t> by_skin;     ///< of `parts`: by points
        std::vector<size_t> by_capsule;  ///< of `parts`: by capsules
    };
    BodySurface surface;
    std::vector<Part> parts;
    int joint(const Part& part) const { return surface.parts[part.surface].joint; }
    const std::string& role(const Part& part) const { return surface.parts[part.surface].role; }
    std::array<Limb, limb_count> limbs;  ///< by `limb_names`; without bones: it is not looked at
};

/// How a bone of a limb lies over a part.
struct ClearHeight {
    size_t bone = 0, part = 0;
    double height_m = 0.0;
    double along = 1.0;        ///< as `ClearBody::SkinPoint`
    Vec3 at = Vec3::Zero();    ///< of the limb, world
    Vec3 out = Vec3::UnitY();  ///< out of the part, world, unit; of skins found by `skin_normal`
    bool is_capsule = false;
};

struct ClearProgram {
    ClearBody S, T;
    std::array<std::array<double, clear_groups>, limb_count> at_rest_m{};  ///< h_0
    double by_stature = 1.0, size = 1.0;        ///< of the target beside the source, beside 175 cm
    std::array<double, limb_count> margin_m{};  ///< m
};

/// For bodies on two legs. After `compile_limbs`.
void compile_clear(const PairedBodies& bodies, const BodySurface& S_surface, const BodySurface& T_surface,
                   Program& program);

/// Whether the pass acts at all: it is on, as is the reach it goes by, and skins are known.
bool clears(const Program& program);

/// Heights under `below_m` of a limb over all it can run into: the least of each ring of points over each part.
void heights_under(const ClearBody& body, size_t limb, const SourceFrame& frame, double below_m,
                   std::vector<ClearHeight>& found);
/// The same over a part of another body, whose frame in the world is X_WF, with `out`; `part`: as it is to be told.
void heights_over(const ClearBody::Limb& limb, const SourceFrame& frame, const PartSurface& over,
                  const Rigid& X_WF, double below_m, size_t part, std::vector<ClearHeight>& found);
/// Which group a part is of; empty: none that is run into.
std::optional<ClearGroup> clear_group_of(const std::string& role);
/// Whether arms run into the bodies beside: deeper than they are wanted, in any of ten looks a second.
bool runs_into_others(const Program& program, const Beside& beside, const WorldMotion& source,
                      const WorldMotion& target);
/// Out of a part's skin at a point, world.
Vec3 skin_normal(const ClearBody& body, const ClearHeight& height, const SourceFrame& frame);

/// The most the middle joint turns, rad; and per metre of `LimbClear::aside_m`.
inline constexpr double most_clear_turn_rad = 0.9;
double clear_turn_rad(const LimbClear& clear, double length_m);

/// A frame with what was found for it: tips of arms that hold things before these are put into their hands, all else after.
void clear_holding(const Program& program, const SourceFrame& source, TargetFrame& target,
                   const FrameCorrection* held);
void pass_clear(const Program& program, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held);

}  // namespace nb
