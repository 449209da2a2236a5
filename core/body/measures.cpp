#include "core/body/measures.hpp"

#include <algorithm>
#include <string>

namespace nb {

double length_between(const Skeleton& skeleton, const RoleMap& roles, std::string_view from,
                      std::string_view to) {
    const int a = roles.joint(from);
    const int b = roles.joint(to);
    return a < 0 || b < 0 ? 0.0 : skeleton.path_length(a, b);
}

namespace {

double mean_of_sides(const Skeleton& skeleton, const RoleMap& roles, const char* upper, const char* lower,
                     const char* tip) {
    double sum = 0.0;
    int count = 0;
    for (const std::string side : {".left", ".right"}) {
        const double length = length_between(skeleton, roles, upper + side, lower + side) +
                              length_between(skeleton, roles, lower + side, tip + side);
        if (length <= 0.0) continue;
        sum += length;
        ++count;
    }
    return count ? sum / count : 0.0;
}

}  // namespace

double leg_length(const Skeleton& skeleton, const RoleMap& roles) {
    if (const double length = mean_of_sides(skeleton, roles, "thigh", "shin", "foot"); length > 0.0)
        return length;
    // Legs of one bone: to its end.
    double most = 0.0;
    for (const EndSite& site : skeleton.end_sites)
        if (site.joint == roles.joint("thigh.left") || site.joint == roles.joint("thigh.right"))
            most = std::max(most, site.offset_m.norm());
    return most;
}

double arm_length(const Skeleton& skeleton, const RoleMap& roles) {
    return mean_of_sides(skeleton, roles, "upperarm", "forearm", "hand");
}

double stature(const Skeleton& skeleton, const RoleMap& roles) {
    return leg_length(skeleton, roles) / leg_share_of_stature;
}

}  // namespace nb
