#include <algorithm>

#include "core/body/shape.hpp"

namespace nb {

std::vector<char> find_side_bones(const Skeleton& skeleton) {
    const Pose pose = rest_pose(skeleton);
    const auto children = skeleton.children();
    std::vector<char> has_end(size_t(skeleton.size()), 0);
    std::vector<double> site_length(size_t(skeleton.size()), 0.0);
    for (const EndSite& site : skeleton.end_sites) {
        has_end[size_t(site.joint)] = 1;
        site_length[size_t(site.joint)] = std::max(site_length[size_t(site.joint)], site.offset_m.norm());
    }
    // Joints below, and the farthest way on: what goes on farthest is the bone, what ends beside it is not.
    std::vector<double> reach(site_length);
    for (int j = skeleton.size() - 1; j > 0; --j)
        if (const int parent = skeleton.parents[size_t(j)]; parent >= 0)
            reach[size_t(parent)] =
                std::max(reach[size_t(parent)], reach[size_t(j)] + skeleton.rest_p[size_t(j)].norm());
    // Of a brush of bones each is looked at beside the longest alone.
    constexpr size_t brush = 200;
    constexpr size_t longest = 48;
    auto beside = children;
    for (std::vector<int>& siblings : beside) {
        if (siblings.size() <= brush) continue;
        const auto far = [&](int c) { return skeleton.rest_p[size_t(c)].norm() + reach[size_t(c)]; };
        std::stable_sort(siblings.begin(), siblings.end(), [&](int a, int b) { return far(a) > far(b); });
        siblings.resize(longest);
    }
    std::vector<char> is_side(size_t(skeleton.size()), 0);
    for (int j = 0; j < skeleton.size(); ++j) {
        const int parent = skeleton.parents[size_t(j)];
        if (parent < 0 || !children[size_t(j)].empty()) continue;
        const Vec3 p = pose.p[size_t(j)] - pose.p[size_t(parent)];
        for (const int other : beside[size_t(parent)]) {
            if (other == j) continue;
            const Vec3 d = pose.p[size_t(other)] - pose.p[size_t(parent)];
            const double length = d.norm();
            if (length < 1e-9) continue;
            if (reach[size_t(other)] < 1e-9) {
                // Two leaves on one line: the nearer one lies along the bone to the farther.
                const double part = p.dot(d) / (length * length);
                if (children[size_t(other)].empty() && part > 0.02 && part < 0.9 && reach[size_t(j)] < 1e-9 &&
                    (p - part * d).norm() < 0.05 * length)
                    is_side[size_t(j)] = 1;
                continue;
            }
            // Beside a bone that goes on: near its line, between its ends.
            const double along = p.dot(d) / (length * length);
            const double off = (p - along * d).norm();
            // The line may go on through further joints: a limb of several segments.
            const double whole =
                1.0 + (children[size_t(other)].empty() ? 0.0 : reach[size_t(other)] / length);
            if (along > -0.02 && along < 0.98 * whole && off < 0.12 * length * std::max(1.0, along) &&
                reach[size_t(j)] < 0.5 * length)
                is_side[size_t(j)] = 1;
            if (p.norm() < 0.02 * length && reach[size_t(j)] < 0.02 * length) is_side[size_t(j)] = 1;
        }
    }
    return is_side;
}

}  // namespace nb
