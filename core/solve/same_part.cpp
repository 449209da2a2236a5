#include "core/solve/same_part.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace nb {

namespace {

/// How far up between the hip centre and the neck a part's beginning and end lie at the aligned rest.
std::array<double, 2> shares_up(const Character& body, const PartSurface& part) {
    const RestAlignment& rest = rest_of_skin(body);
    const auto joint = [&](const char* role) { return body.roles.joint(role); };
    const int top = joint("neck.1") >= 0 ? joint("neck.1") : joint("head");
    const int thigh = joint("thigh.left");
    if (top < 0 || thigh < 0) return {0.0, 0.0};
    const double from = rest.p_WJ0[size_t(thigh)].y();
    const double whole = std::max(0.01, rest.p_WJ0[size_t(top)].y() - from);
    const Rigid X = part.frame(rest.R_WJ0[size_t(part.joint)], rest.p_WJ0[size_t(part.joint)]);
    const double end = (X * Vec3(0.0, 0.0, part.length_m)).y();
    return {(X.p.y() - from) / whole, (end - from) / whole};
}

}  // namespace

std::optional<PartPair> same_part(const Character& S_body, const BodySurface& S, size_t s,
                                  const Character& T_body, const BodySurface& T) {
    const PartSurface& part = S.parts[s];
    const bool is_neck = role_part(part.role) == "neck";
    if (!is_trunk(part.role) && !is_neck) {
        for (size_t t = 0; t < T.parts.size(); ++t)
            if (T.parts[t].role == part.role) return PartPair{s, t};
        return {};
    }
    const auto of_S = shares_up(S_body, part);
    std::optional<PartPair> best;
    double least = 1e30;
    for (size_t t = 0; t < T.parts.size(); ++t) {
        if (is_neck ? role_part(T.parts[t].role) != "neck" : !is_trunk(T.parts[t].role)) continue;
        const auto of_T = shares_up(T_body, T.parts[t]);
        const double apart = std::abs(of_S[0] + of_S[1] - of_T[0] - of_T[1]);
        if (apart >= least) continue;
        least = apart;
        best = PartPair{s, t};
        const double whole = of_T[1] - of_T[0];
        if (is_neck || std::abs(whole) < 1e-3) continue;
        best->s_at_0 = (of_S[0] - of_T[0]) / whole;
        best->s_by_s = (of_S[1] - of_S[0]) / whole;
    }
    return best;
}

double height_ratio(const PartSurface& S, const PartSurface& T, double by_stature) {
    return std::max(T.mean_radius_m / S.mean_radius_m, by_stature);
}

SurfacePlace place_on_target(const BodySurface& S, const BodySurface& T, const PartPair& pair,
                             double by_stature, const SurfacePlace& at) {
    SurfacePlace to = at;
    to.s = std::clamp(pair.s_at_0 + pair.s_by_s * at.s, 0.0, 1.0);
    to.h = at.h * height_ratio(S.parts[pair.S], T.parts[pair.T], by_stature);
    return to;
}

}  // namespace nb
