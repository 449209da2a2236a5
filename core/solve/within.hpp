// What keyed touch-ups change along time stays inside their spans: beyond them a motion is held as it is without
// them, to the bit.
//
// The passes along time look ahead and back: hips give way before a foot is out of reach. So they run twice, with and
// without what is keyed; inside its spans the one goes over into the other, led in over `lead_s`, once when limbs are
// held and led, so that what comes after knows of it, and once at the end. p: 1 where it is as without; at first of a
// limb also while a contact holds it that lasts beyond the span: it stands on as it stood.
//   free    c = (1 - p) c_with + p c_without                    what is added to what is asked
//   held    the same of where it is: asked with it + c          turns on the shortest way
// between them by how far it is held. What hips are asked by themselves stays whole. Inside the span of one touch-up
// others may still be felt.
#pragma once
#include <array>
#include <vector>

#include "core/contact/contacts.hpp"
#include "core/solve/program.hpp"
#include "core/solve/time/passes.hpp"

namespace nb {

/// A frame: 1 where a keyed touch-up acts that moves hips or limbs that are held. Empty: none does, or one
/// does everywhere.
std::vector<char> keyed_frames(const Program& program, const Contacts& contacts, const WorldMotion& motion);

/// The program without keyed turns and places; those that always act stay.
Program without_keyed(const Program& program);

/// What a run with keyed touch-ups is kept to beyond their spans.
struct KeptTo {
    const std::vector<char>& is_inside;
    double frame_time_s = 0.0;
    const HeldRun& without;
};
/// In between: limbs. `asked`: of this run.
void keep_led(const Problem& problem, const KeptTo& kept, const std::array<AskedLimb, limb_count>& asked,
              Goals& goals);
/// At the end: `run` inside, `without` to the bit outside.
void keep_all(const Program& program, const KeptTo& kept, HeldRun& run);

/// How far the strongest of the keyed touch-ups that turn bones or place the hips acts, 0..1, by frame.
struct KeyedWeights {
    std::vector<double> all;  ///< empty: there is none, or nothing is found over the take afterwards
    std::array<std::vector<double>, limb_count>
        of_limb;  ///< of those that turn the limb's own bones; empty: none
};
/// Of what is found over the take: hands that touch, limbs that are kept out of the body.
KeyedWeights keyed_weights(const Program& program, const WorldMotion& motion);
/// Of what is found then: `with` by these weights, `without` for the rest, to the bit where they are 0. A limb whose own
/// bones are turned is not kept out of the body otherwise than without: it lies where it was turned to.
void keep_free(const KeyedWeights& weights, const Corrections& without, Corrections& with);

}  // namespace nb
