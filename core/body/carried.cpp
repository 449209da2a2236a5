#include "core/body/carried.hpp"

#include <algorithm>

namespace nb {

namespace {

/// Whatever the order of joints is.
std::vector<Carried> all_carried(const Skeleton& skeleton, const RoleMap& roles) {
    std::vector<Carried> all;
    const auto add = [&](int joint, int by) {
        const bool is_known =
            std::any_of(all.begin(), all.end(), [&](const Carried& c) { return c.joint == joint; });
        if (!is_known && joint >= 0 && by >= 0 && joint != by && !skeleton.is_ancestor(joint, by))
            all.push_back({joint, by});
    };
    for (const FollowerBone& follower : roles.followers) add(follower.joint, roles.joint(follower.role));
    const int hips = roles.joint("hips");
    for (const auto* role : {"thigh.left", "thigh.right", "spine.1", "chest"}) {
        const int part = roles.joint(role);
        if (hips < 0 || part < 0 || skeleton.is_ancestor(hips, part)) continue;
        // What both hang on is no part of the trunk: leg and spine go with the hips.
        const int meet = skeleton.common_ancestor(hips, part);
        const std::string role_of_meet = meet < 0 ? std::string() : roles.role_of(meet);
        if (!role_of_meet.empty() && role_of_meet != "root") continue;
        int top = part;
        while (skeleton.parents[size_t(top)] != meet && skeleton.parents[size_t(top)] >= 0)
            top = skeleton.parents[size_t(top)];
        add(top, hips);
    }
    return all;
}

}  // namespace

std::vector<Carried> find_carried(const Skeleton& skeleton, const RoleMap& roles) {
    std::vector<Carried> all = all_carried(skeleton, roles);
    std::erase_if(all, [](const Carried& c) { return c.by > c.joint; });
    return all;
}

Skeleton carried_skeleton(const Skeleton& skeleton, const RoleMap& roles) {
    Skeleton result = skeleton;
    const std::vector<Carried> all = find_carried(skeleton, roles);
    if (all.empty()) return result;
    const Pose rest = rest_pose(skeleton);
    Pose bind;
    if (!skeleton.bind_R.empty()) bind = bind_pose(skeleton);
    for (const Carried& c : all) {
        const size_t j = size_t(c.joint);
        const size_t by = size_t(c.by);
        result.parents[j] = c.by;
        result.rest_R[j] = rest.R[by].conjugate() * rest.R[j];
        result.rest_p[j] = rest.R[by].conjugate() * Vec3(rest.p[j] - rest.p[by]);
        if (!skeleton.bind_R.empty()) result.bind_R[j] = bind.R[by].conjugate() * bind.R[j];
    }
    return result;
}

std::vector<char> thing_joints(const Skeleton& carried, const RoleMap& roles) {
    std::vector<char> is_thing(size_t(carried.size()), 0);
    for (const Unassigned& other : roles.unassigned)
        if (other.reason.starts_with("prop")) is_thing[size_t(other.joint)] = 1;
    for (int j = 0; j < carried.size(); ++j)
        if (const int above = carried.parents[size_t(j)]; above >= 0 && is_thing[size_t(above)])
            is_thing[size_t(j)] = 1;
    return is_thing;
}

int body_top(const Skeleton& carried, const RoleMap& roles) {
    int top = roles.joint("hips");
    if (top < 0) return -1;
    for (const auto* role : {"chest", "spine.1", "thigh.left", "thigh.right", "head"})
        if (const int j = roles.joint(role); j >= 0)
            if (const int meet = carried.common_ancestor(top, j); meet >= 0) top = meet;
    return top;
}

std::vector<int> order_for_carrying(const Skeleton& skeleton, const RoleMap& roles) {
    std::vector<Carried> late = all_carried(skeleton, roles);
    std::erase_if(late, [](const Carried& c) { return c.by < c.joint; });
    if (late.empty()) return {};
    // Joints in their order, each as soon as its parent and its carrier are there.
    const int n = skeleton.size();
    std::vector<int> order;
    std::vector<char> is_there(size_t(n), 0);
    while (int(order.size()) < n) {
        const size_t before = order.size();
        for (int j = 0; j < n; ++j) {
            if (is_there[size_t(j)]) continue;
            const int parent = skeleton.parents[size_t(j)];
            bool is_ready = parent < 0 || is_there[size_t(parent)];
            for (const Carried& c : late) is_ready &= c.joint != j || is_there[size_t(c.by)];
            if (!is_ready) continue;
            is_there[size_t(j)] = 1;
            order.push_back(j);
        }
        if (order.size() == before) return {};
    }
    return order;
}

}  // namespace nb
