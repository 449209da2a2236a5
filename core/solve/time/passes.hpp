// The passes along time: what is held stays where it is, and the hips give way so that it can be reached.
// After angles and root of all frames, before reach.
//
// In: the `Problem`. Out: `Goals`, each pass on top of those before it. Each has a file here: what it does,
// the formula, its constants (in seconds and at a stature of 175 cm, so that they hold at any rate and size).
// A further one (hands on props, clearance, a partner) is a file and a row of the table.
#pragma once
#include <array>

#include "core/base/watch.hpp"
#include "core/solve/time/goals.hpp"

namespace nb {

struct TimePass {
    const char* name;
    void (*run)(const Problem& problem, Goals& goals, const Watch& watch);
    double cost;  ///< by which progress is told, of all together
};

void time_soles(const Problem& problem, Goals& goals, const Watch& watch);
void time_calm(const Problem& problem, Goals& goals, const Watch& watch);
void time_lone(const Problem& problem, Goals& goals, const Watch& watch);
void time_lead(const Problem& problem, Goals& goals, const Watch& watch);
void time_tremble(const Problem& problem, Goals& goals, const Watch& watch);
void time_touched(const Problem& problem, Goals& goals, const Watch& watch);
void time_body(const Problem& problem, Goals& goals, const Watch& watch);
void time_raise(const Problem& problem, Goals& goals, const Watch& watch);
void time_toes(const Problem& problem, Goals& goals, const Watch& watch);
void time_give_way(const Problem& problem, Goals& goals, const Watch& watch);
void time_roll(const Problem& problem, Goals& goals, const Watch& watch);
void time_release(const Problem& problem, Goals& goals, const Watch& watch);

inline constexpr std::array<TimePass, 12> time_passes{{
    {"soles", time_soles, 0.1},
    {"calm", time_calm, 0.05},
    {"lone", time_lone, 0.05},
    {"lead", time_lead, 0.1},
    {"tremble", time_tremble, 0.2},
    {"touched", time_touched, 0.01},
    {"body", time_body, 0.1},
    {"raise", time_raise, 0.1},
    {"roll", time_roll, 0.05},
    {"give way", time_give_way, 0.2},
    {"toes", time_toes, 0.1},
    {"release", time_release, 0.1},
}};

/// What limbs were asked before anything was held, a frame; world, m. Empty for a limb that is no effector.
struct AskedLimb {
    std::vector<Vec3> ankle_m;
    std::vector<Quat> foot, toe;
    std::vector<char> is_held;  ///< by a contact
};
/// A run of the passes with what is needed to keep another one to it (core/solve/within.hpp).
struct HeldRun {
    Corrections corrections;
    std::array<AskedLimb, limb_count> asked;
    Goals led;  ///< once limbs are held and led, before the body gives way
};
struct KeptTo;

/// `target` after angles and root. Empty when a pass that it needs is left out or nothing is held.
Corrections hold_contacts(const Program& program, const Contacts& contacts, const WorldMotion& source,
                          const WorldMotion& target, double frame_time_s, int first_frame,
                          const Watch& watch = {});
/// The same with all of its run; `kept`: may be null.
HeldRun run_held(const Program& program, const Contacts& contacts, const WorldMotion& source,
                 const WorldMotion& target, double frame_time_s, int first_frame, const Watch& watch,
                 const KeptTo* kept);

}  // namespace nb
