#include "core/surface/hand_points.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

namespace {
constexpr double knuckle_share = 0.53;  // of the hand's length; hands without finger joints (practice)
}

std::vector<Vec3> hand_points(const Character& character, const BodySurface& surface, Side side) {
    const std::string suffix(side_suffix(side));
    const PartSurface* hand = surface.part("hand" + suffix);
    if (!hand) return {};
    const RestAlignment& rest = rest_of_skin(character);
    const Rigid X = hand->frame(rest.R_WJ0[size_t(hand->joint)], rest.p_WJ0[size_t(hand->joint)]);
    // At the aligned rest palms look down.
    const Vec3 down = X.R.conjugate() * Vec3(-Vec3::UnitY());
    double knuckle = knuckle_share;
    if (const int j = character.roles.joint("middle.1" + suffix); j >= 0)
        knuckle =
            std::clamp((X.R.conjugate() * Vec3(rest.p_WJ0[size_t(j)] - X.p)).z() / hand->length_m, 0.2, 0.8);
    const double phi = std::atan2(down.y(), down.x());
    return {hand->X_JF * hand->point({0.5 * knuckle, phi, 0.0, 0.0}),
            hand->X_JF * Vec3(0.0, 0.0, hand->length_m),
            hand->X_JF * hand->point({0.5 * knuckle, phi + pi, 0.0, 0.0})};
}

std::optional<size_t> hand_point_index(std::string_view name) {
    const auto at = std::find(hand_point_names.begin(), hand_point_names.end(), name);
    if (at == hand_point_names.end()) return {};
    return size_t(at - hand_point_names.begin());
}

std::optional<Vec3> sole_point(const BodySurface& surface, Side side) {
    const PartSurface* foot = surface.part("foot" + std::string(side_suffix(side)));
    if (!foot) return {};
    // Of feet x is up.
    return foot->X_JF * foot->point({0.5, pi, 0.0, 0.0});
}

std::optional<Vec3> elbow_point(const BodySurface& surface, Side side) {
    const PartSurface* forearm = surface.part("forearm" + std::string(side_suffix(side)));
    if (!forearm) return {};
    // x is where the body faces, and arms bend forward.
    return forearm->X_JF * forearm->point({0.0, pi, 0.0, 0.0});
}

}  // namespace nb
