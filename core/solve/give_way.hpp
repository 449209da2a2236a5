// The hip problem: by how much the hips give way over time so that what is held can be reached.
//
//   minimise  sum_t |x_t|^2  +  (tau / dt)^4 sum_t |x_(t-1) - 2 x_t + x_(t+1)|^2
//   so that   |to_i - x_f(i)| <= limit_i    for every reach i, at its frame
//
// The smoothing term is Whittaker's (On a new method of graduation, Proc. Edinburgh Math. Soc. 41, 1923; from
// memory): tau is about the time over which a single give is spread. The reaches enter as a one-sided
// quadratic penalty. Each asks x to lie in a ball, so the whole is convex and has one minimum: Newton's
// method, with halved steps where the cost would rise, under a penalty that grows tenfold as it converges
// (Nocedal & Wright, Numerical Optimization, quadratic penalty method; from memory). Each round is one banded
// Cholesky solve: linear in the number of frames, and the same bits every time.
//
// Invariants: without a reach beyond its limit x is exactly zero. Mirrored, turned and scaled input gives
// mirrored, turned and scaled output.
#pragma once
#include <functional>
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

struct HeldReach {
    int frame = 0;
    Vec3 to = Vec3::Zero();  ///< from the limb's start, before the hips give, to what is held; world, m
    double limit_m = 0.0;    ///< the longest the limb may be there
};

struct GiveWay {
    double tau_s = 0.1;
    double penalty = 1e6;  ///< of a metre of missing reach beside a metre of give
    int most_rounds = 60;
};

/// How a span of frames that was solved by itself ended.
struct GiveSpan {
    int first = 0, last = 0;
    int rounds = 0;
    double residual_m = 0.0;  ///< what the worst reach still lacks
    bool is_converged = false;
};

/// One offset of the hips a frame, world, m. `reaches` in rising order of frames. `told` after each span, with
/// how much is done, 0..1. Throws std::runtime_error where numbers are not finite.
std::vector<Vec3> give_way(int frames, double frame_time_s, const std::vector<HeldReach>& reaches,
                           const GiveWay& how = {},
                           const std::function<void(const GiveSpan&, double done)>& told = {});

}  // namespace nb
