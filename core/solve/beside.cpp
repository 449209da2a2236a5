#include "core/solve/beside.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

Rigid RigidTrack::at(double t_s) const {
    const double f = std::clamp((t_s - from_s) / frame_time_s, 0.0, double(X.size() - 1));
    const size_t before = size_t(std::floor(f));
    const double u = f - double(before);
    if (u < 1e-9 || before + 1 >= X.size()) return X[before];
    const Rigid &a = X[before], &b = X[before + 1];
    return {interpolate(a.R, b.R, u), a.p + u * (b.p - a.p)};
}

const RigidTrack* Beside::thing(int S_thing) const {
    for (const Thing& one : things)
        if (one.S_thing == S_thing) return &one.X_WT;
    return nullptr;
}

}  // namespace nb
