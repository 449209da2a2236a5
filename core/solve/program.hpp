// The program of a transfer: what each pass does to which bone, by index; made once for two characters, run
// for every frame. What is to be told of it: core/solve/report.hpp.
#pragma once
#include <array>
#include <memory>
#include <utility>
#include <vector>

#include "core/motion/marks.hpp"
#include "core/motion/place_map.hpp"
#include "core/solve/angles.hpp"
#include "core/solve/body.hpp"
#include "core/solve/bone_rules.hpp"
#include "core/solve/hold.hpp"
#include "core/solve/keep_within.hpp"
#include "core/solve/lengths.hpp"
#include "core/solve/limb.hpp"
#include "core/solve/on_set.hpp"
#include "core/solve/root.hpp"
#include "core/solve/run.hpp"
#include "core/solve/settings.hpp"
#include "core/solve/touch.hpp"
#include "core/solve/twist.hpp"

namespace nb {

struct Beside;
struct ClearProgram;
struct NearProgram;

struct Program {
    PlaceMap map;
    bool is_k_asked = false;  ///< a person set it
    Passes passes;
    CarriedBody body;                ///< of the target
    std::vector<AngleOp> angles;     ///< one a target joint
    std::vector<FoldOp> folds;       ///< hands folded into forearms
    std::vector<PlacedBone> placed;  ///< bones that do not keep their place on the bone above
    std::vector<int> placed_of;  ///< a target joint: index in `placed`, -1 for none; empty when there is none
    std::vector<Quat> aligned_rest;  ///< R_WJ0: where the target stands when the angles pass is left out
    RootOp root;
    std::vector<int> trunk;   ///< what leans: joints of the spine from the first, then the clavicles
    size_t spine_joints = 0;  ///< of those
    std::vector<LimbOp> limbs;
    std::vector<RunOp> runs;
    std::vector<LengthOp> lengths;
    std::vector<int> length_of;  ///< a target joint: index in `lengths`, -1 for none; empty when none follows
    std::vector<TwistOp> twists;
    std::vector<RangeOp> ranges;         ///< joints that are kept within people's
    std::array<EndOp, limb_count> ends;  ///< by `limb_names`
    TouchProgram touch;
    std::vector<Contact> hand_touches;                  ///< of the take, those that are unsure, too
    std::vector<SetHand> on_set;                        ///< hands on what stands beside the body
    std::vector<std::pair<int, double>> scaled_things;  ///< joints of the source, and by what
    std::vector<HeldThing> things;                      ///< that hands hold in the take
    std::shared_ptr<const NearProgram> near;            ///< null: no hand touches
    std::shared_ptr<const Beside> beside;               ///< null: it is alone
    std::shared_ptr<const ClearProgram> clear;          ///< null: bodies whose skin is not known
    double S_stature_m = 1.75;
};

}  // namespace nb
