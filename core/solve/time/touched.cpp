// Pass touched: touch-ups that ask the hips elsewhere (core/solve/touch.hpp). They go there, feet stay where they are
// asked to be or held; what is then out of reach is given way to after it.
#include "core/solve/time/passes.hpp"

namespace nb {

void time_touched(const Problem& problem, Goals& goals, const Watch&) {
    for (size_t f = 0; f < problem.touched_hips_m.size(); ++f) goals.move_hips(f, problem.touched_hips_m[f]);
}

}  // namespace nb
