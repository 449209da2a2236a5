// Contacts: what is held stays where it is, and the hips give way so that it can be reached. A pass along
// time, after angles and root of all frames, before reach.
//
// In: contacts of the take, the source's motion, the target's motion after angles and root. Out: what root
// and reach add a frame (`Corrections`), zero where nothing is held.
//
// Paws and wrists are points held alone; a wrist has no floor below it, and the hips do not give for it.
// Knees and seat are held by the hips: they shift so that the mean of what is held of them stays at the mean
// of its places; thighs are not turned for it.
//
// For each foot, F(t) its world rotation after angles, A(t) the place its ankle is asked to stand:
// - While heel and ball are both held the sole is one rigid pose: the mean of F over the span, turned so that
//   heel and ball lie on their supports; ankle at the mean of A, at the height the sole asks for. A point
//   that was held before keeps its place and the other one follows from the sole.
// - A point held alone has the place given by a sole in its window, else the mean of its own free places, at
//   its support's height k * level.
// - The foot's turn C(t) and the ankle's shift d(t) follow on held frames exactly (ankle = place - C F v, v
//   the point seen from the ankle); between them they are led from one to the next or to zero, continuous in
//   value and slope (core/math/curves.hpp).
// - Free points below the floor: a foot held at one end is turned about it until the other is on the floor;
//   a free foot is raised; the toe is turned up about the ball.
// - The hips give way (core/solve/give_way.hpp). What stays out of reach is released by as much as is
//   missing and listed.
//
// Supports lie at k * level (place map). The floor under a free foot is the lower of its neighbours in time.
// Invariants: the bone lengths of the target never change; without contacts all corrections are zero.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/solve/passes.hpp"

namespace nb {

/// A lock that could not be met: missing centimetres at the worst frame of a span.
struct Deficit {
    std::string point;  ///< "foot.left", "forepaw.right", "wrist.left"
    int first = 0, last = 0;
    int worst_frame = 0;
    double missing_m = 0.0;
};

struct LimbCorrections {
    std::vector<Vec3> ankle_m;  ///< d, a frame
    std::vector<Vec3> start_m;  ///< by which the hips move the limb's start
    std::vector<Quat> foot;     ///< C: R_foot := C R_foot, a frame
    std::vector<Quat> toe;      ///< of the toe, after C
    std::vector<double> hold;   ///< 1 where the ankle's place is held, 0 where the reach may soften
};

/// What root and reach add, a frame. Empty: nothing is held.
struct Corrections {
    std::vector<Vec3> hips_m;
    std::vector<Vec3> hips_turn;                    ///< rotation vectors about the hip centre, rad
    std::array<LimbCorrections, limb_count> limbs;  ///< by `limb_names`
    std::vector<Deficit> deficits;
    int held_frames = 0;  ///< over all ends
    bool is_empty() const { return hips_m.empty(); }
    FrameCorrection at(int frame) const;
};

/// `target` after angles and root.
Corrections hold_contacts(const Plan& plan, const Contacts& contacts, const WorldMotion& source,
                          const WorldMotion& target, double frame_time_s, int first_frame);

}  // namespace nb
