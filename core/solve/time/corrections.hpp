// What holding contacts adds to a take, frame by frame: what root and reach read.
#pragma once
#include <algorithm>
#include <array>
#include <string>
#include <vector>

#include "core/solve/frames.hpp"

namespace nb {

/// A lock that could not be met: missing centimetres at the worst frame of a span.
struct Deficit {
    std::string point;  ///< "foot.left", "forepaw.right", "wrist.left"
    int first = 0, last = 0;
    int worst_frame = 0;
    double missing_m = 0.0;
};

/// How an iterative solver ended.
struct SolverSummary {
    std::string pass;
    int first = 0, last = 0;  ///< the frames it was over
    int rounds = 0;
    double residual_m = 0.0;  ///< what the worst reach still lacks of its limit
    bool is_converged = false;
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
    std::vector<Vec3> touched_m;                           ///< of `hips_m`, by touch-ups; empty: none
    std::vector<Vec3> hips_turn;                           ///< rotation vectors about the hip centre, rad
    std::array<LimbCorrections, limb_count> limbs;         ///< by `limb_names`
    std::array<std::vector<HandShift>, limb_count> hands;  ///< by the pass touch; all empty: it does nothing
    std::array<std::vector<LimbClear>, limb_count>
        clear;  ///< by the pass clear; empty: that limb meets nothing
    std::vector<Deficit> deficits;
    std::vector<SolverSummary> summaries;
    std::vector<std::string> ignored;  ///< points of contacts by hand that this target cannot hold, each once
    int held_frames = 0;               ///< over all ends
    bool is_empty() const { return hips_m.empty(); }
    bool has_hands() const { return is_any(hands); }
    bool has_clear() const { return is_any(clear); }
    FrameCorrection at(int frame) const;

  private:
    template <typename ByLimb>
    static bool is_any(const ByLimb& by_limb) {
        return std::any_of(by_limb.begin(), by_limb.end(), [](const auto& one) { return !one.empty(); });
    }
};

}  // namespace nb
