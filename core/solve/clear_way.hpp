// What the pass clear does over a take: the least and smoothest way out.
//
// Unknown a frame x = (q, d): q the way of the elbow (knee) about start -> tip, d that of the tip, m.
//
//   minimise  sum_t x_t' W_t x_t  +  (tau / dt)^4 sum_t |x_(t-1) - 2 x_t + x_(t+1)|^2
//   so that   a_i x_f(i) >= b_i   for every height i at its frame, linear about where the limb is
//
// W is small for q, 1 for d, and large for the d of what is held or placed by number. The rows enter as a one-sided quadratic penalty, so the
// whole is convex; Newton's method on its active rows, a banded Cholesky solve a round (Nocedal & Wright, Numerical
// Optimization; from memory). Heights are not linear: the frames are posed anew and the rows made anew, until they
// stay, six times at most. A part of which nothing is near any more keeps its row, so that the limb goes back 3 cm at most before it
// is looked at again. In a round keys are looked at anew where what a limb lies over has moved: legs where legs have, arms where
// arms have, or where a leg has that they are near. Frames are looked at 40 times a second, beside other bodies 60 times; between them x is a natural cubic
// spline (core/math/spline.hpp).
// Without a row x is exactly zero.
#pragma once
#include <array>
#include <functional>
#include <vector>

#include "core/base/watch.hpp"
#include "core/contact/sole.hpp"
#include "core/math/rotation.hpp"

namespace nb {

struct Program;
struct SolvedMotion;
struct WorldMotion;

/// Time over which a way is spread, beside other bodies and of wide forearms, which go farther.
inline constexpr double clear_tau_s = 0.1, clear_beside_tau_s = 0.12, clear_wide_tau_s = 0.15;
/// Of a metre that is missing beside a metre of way.
inline constexpr double clear_penalty = 400.0;
/// What changes less from one round to the next stays, m at 175 cm.
inline constexpr double clear_is_there_m = 5e-4;

using ClearVec = Eigen::Vector4d;  ///< q, d

struct ClearRow {
    int frame = 0;
    ClearVec a = ClearVec::Zero();
    double b = 0.0;
};

/// One x a frame of [0, weights.size()). `weights`: the diagonals of W. Rows in rising order of frames. `start`: where to
/// look from, as many or none.
std::vector<ClearVec> clear_way(const std::vector<ClearVec>& weights, double frame_time_s,
                                const std::vector<ClearRow>& rows, const std::vector<ClearVec>& start = {},
                                double tau_s = clear_tau_s);

/// Finds it for a take that is solved but for this pass, writes `SolvedMotion::corrections.clear`, and poses the frames that
/// it changes anew with `pose`. Throws what `watch` throws.
void clear_motion(const Program& program, const WorldMotion& source, int threads, const Watch& watch,
                  SolvedMotion& solved, const std::function<void(int frame)>& pose);

/// What the limbs of one frame ask for, and what moving them costs there, by limb.
struct ClearLook {
    std::array<std::vector<ClearRow>, limb_count> rows;
    std::array<ClearVec, limb_count> weights;
};
/// For frames that come one by one: `source` and `posed` hold one frame, posed with `x`. `corrections.limbs`: how far tips
/// are held, else as free.
ClearLook look_at_frame(const Program& program, const WorldMotion& source, const SolvedMotion& posed,
                        const std::array<ClearVec, limb_count>& x);

}  // namespace nb
