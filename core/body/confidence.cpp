#include "core/body/confidence.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace nb {

namespace {

struct Curve {
    std::string_view kind;
    double offset, slope;  ///< of the log odds
};

// Printed by tools/fit-confidence.
constexpr std::array<Curve, 4> curves{{
    {"limb", 0.362, 1.350},
    {"trunk", 1.343, 1.356},
    {"end", -2.032, 1.910},
    {"finger", 0.204, 1.706},
}};
constexpr double least_share = 1e-4, most_share = 0.99;
constexpr double most = 0.99;

const Curve& curve_of(std::string_view part) {
    const auto is = [&](std::initializer_list<std::string_view> parts) {
        return std::find(parts.begin(), parts.end(), part) != parts.end();
    };
    if (is({"hips", "spine", "chest", "neck", "head"})) return curves[1];
    if (is({"toe", "paw", "tail"})) return curves[2];
    if (is({"thumb", "index", "middle", "ring", "little"})) return curves[3];
    return curves[0];
}

double odds(double share) {
    const double s = std::clamp(share, least_share, most_share);
    return std::log(s / (1.0 - s));
}

}  // namespace

double role_confidence(double share, std::string_view part, bool is_bare) {
    const Curve& curve = curve_of(part);
    const double sure = 1.0 / (1.0 + std::exp(-(curve.offset + curve.slope * odds(share))));
    return std::min(most, sure) * (is_bare ? 0.9 : 1.0);
}

}  // namespace nb
