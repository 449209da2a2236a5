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

double body_height(const Skeleton& skeleton, const RoleMap& roles) {
    if (roles.is_four_legged()) {
        // On four legs: from the lowest point of the rest to its highest.
        const Pose rest = rest_pose(skeleton);
        double low = 1e30;
        double high = -1e30;
        const auto see = [&](const Vec3& p) {
            low = std::min(low, p.y());
            high = std::max(high, p.y());
        };
        for (const Vec3& p : rest.p) see(p);
        for (const EndSite& site : skeleton.end_sites)
            see(rest.p[size_t(site.joint)] + rest.R[size_t(site.joint)] * site.offset_m);
        return high - low;
    }
    const double legs = leg_length(skeleton, roles);
    if (legs <= 0.0) return 0.0;
    // Legs, trunk and head in their rest lengths; the sole and the head above its joint are added
    // (ankle height .039 and head .13 of stature: the sum is 0.83 of it; Drillis & Contini, from memory).
    const Pose rest = rest_pose(skeleton);
    const int top = roles.joint(roles.joint("head") >= 0 ? "head" : "chest");
    const int left = roles.joint("thigh.left");
    const int right = roles.joint("thigh.right");
    if (top < 0 || left < 0 || right < 0) return legs / leg_share_of_stature;
    const double trunk = (rest.p[size_t(top)] - 0.5 * (rest.p[size_t(left)] + rest.p[size_t(right)])).norm();
    return 1.18 * (legs + trunk);
}

Vec3 body_left(const RoleMap& roles, const Pose& pose) {
    std::vector<Vec3> lines;
    double span = 0.0;
    for (const auto* part : {"thigh", "upperarm", "shin", "foot", "hand"}) {
        const int left = roles.joint(std::string(part) + ".left");
        const int right = roles.joint(std::string(part) + ".right");
        if (left < 0 || right < 0) continue;
        lines.push_back(pose.p[size_t(left)] - pose.p[size_t(right)]);
        for (const int joint : {left, right})
            for (const auto* hub : {"thigh.left", "upperarm.left"})
                if (const int at = roles.joint(hub); at >= 0)
                    span = std::max(span, (pose.p[size_t(joint)] - pose.p[size_t(at)]).norm());
    }
    for (const Vec3& line : lines)
        if (line.norm() > 0.02 * span) return line;
    return Vec3::Zero();
}

}  // namespace nb
