// What has no role, and why: twist bones with their share, ends, face, props, wrappers, helpers.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <set>

#include "core/body/carried.hpp"
#include "core/body/names.hpp"
#include "core/body/roles.hpp"

namespace nb {

namespace {

const std::array<std::pair<const char*, const char*>, 4> long_bones{
    {{"upperarm", "forearm"}, {"forearm", "hand"}, {"thigh", "shin"}, {"shin", "foot"}}};

/// Bones that lie along a limb's bone, with their places on it.
void find_twists(const Skeleton& skeleton, const Pose& pose, const std::set<int>& filled,
                 const std::vector<std::string>& said, RoleMap& map) {
    map.twists.clear();
    const auto children = skeleton.children();
    for (const auto& [part, next] : long_bones)
        for (const auto* side : {".left", ".right"}) {
            const std::string role = std::string(part) + side;
            const int start = map.joint(role);
            const int end = map.joint(std::string(next) + side);
            if (start < 0 || end < 0) continue;
            const Vec3 line = pose.p[size_t(end)] - pose.p[size_t(start)];
            if (line.squaredNorm() < 1e-18) continue;
            std::vector<std::pair<double, int>> found;
            for (int j = start + 1; j < skeleton.size(); ++j) {
                if (filled.contains(j) || !skeleton.is_ancestor(start, j) || skeleton.is_ancestor(end, j))
                    continue;
                const Vec3 p = pose.p[size_t(j)] - pose.p[size_t(start)];
                const double along = p.dot(line) / line.squaredNorm();
                const bool is_beside = (p - along * line).norm() < 0.12 * line.norm();
                const bool carries_on = skeleton.is_ancestor(j, end);
                const bool is_said = said[size_t(j)] == "twist";
                const bool is_other = !said[size_t(j)].empty() && !is_said;
                if (is_other || !is_beside || along < -0.02 || along > 1.02) continue;
                // Without a word for it: inside the bone, a leaf or on the way to its end.
                if (!is_said &&
                    (along < 0.02 || along > 0.98 || !(children[size_t(j)].empty() || carries_on)))
                    continue;
                found.emplace_back(along, j);
            }
            std::sort(found.begin(), found.end());
            for (size_t i = 0; i < found.size(); ++i) {
                const double by_number = double(i + 1) / double(found.size() + 1);
                const double along = std::clamp(found[i].first, 0.0, 1.0);
                // Evenly spread, or all in one place: by number (common practice: 1/2; 1/3, 2/3).
                const bool is_even = std::abs(along - by_number) < 0.1 || along < 0.02 || along > 0.98;
                map.twists.push_back({found[i].second, role, is_even ? by_number : along});
            }
        }
}

std::string spoken(const std::string& role) {
    std::string text = role;
    std::replace(text.begin(), text.end(), '.', ' ');
    // "left forearm"
    for (const std::string side : {"left", "right"})
        if (text.ends_with(" " + side)) return side + " " + text.substr(0, text.size() - side.size() - 1);
    return text;
}

}  // namespace

namespace {

/// What a bone is by where it hangs and where it leads, when its name does not say it.
std::string by_place(const Skeleton& skeleton, const Pose& pose,
                     const std::vector<std::vector<int>>& children, const RoleMap& map, int j,
                     const std::string& on) {
    if (on.empty()) return "helper: no part of the body plan";
    // The branch it is of: up to the bone that has a role.
    int first = j;
    while (skeleton.parents[size_t(first)] >= 0 && map.role_of(skeleton.parents[size_t(first)]).empty())
        first = skeleton.parents[size_t(first)];
    const int carrier = skeleton.parents[size_t(first)];
    const std::string part = role_part(map.role_of(carrier));
    std::vector<int> branch{first};
    for (size_t i = 0; i < branch.size(); ++i)
        branch.insert(branch.end(), children[size_t(branch[i])].begin(), children[size_t(branch[i])].end());
    const auto farthest = [&] {
        double far = 0.0;
        Vec3 tip = pose.p[size_t(first)];
        for (const int b : branch)
            if ((pose.p[size_t(b)] - pose.p[size_t(carrier)]).norm() > far) {
                far = (pose.p[size_t(b)] - pose.p[size_t(carrier)]).norm();
                tip = pose.p[size_t(b)];
            }
        return Vec3(tip - pose.p[size_t(carrier)]);
    };
    if (on.empty()) return "no body was found that it could belong to";
    const int hips = map.joint("hips");
    const int chest = map.joint("chest");
    const int left = map.joint("thigh.left");
    const int right = map.joint("thigh.right");
    if (hips < 0 || chest < 0 || left < 0 || right < 0) return "helper: hangs on the " + on;
    const Vec3 up = (pose.p[size_t(chest)] - pose.p[size_t(hips)]).normalized();
    const Vec3 aside = (pose.p[size_t(left)] - pose.p[size_t(right)]).normalized();
    const double trunk = (pose.p[size_t(chest)] - pose.p[size_t(hips)]).norm();
    const Vec3 way = farthest();
    const double length = way.norm();
    const std::string hangs = ": hangs on the " + on;
    if (part == "hand" && length > 0.5 * trunk && branch.size() <= 4) return "prop" + hangs + ", held in it";
    if (part == "foot" || part == "toe") return "foot" + hangs + ", a further bone of it";
    if ((part == "hips" || part == "thigh") && length > 0.2 * trunk && way.dot(up) < -0.3 * length)
        return "skirt or strap" + hangs + " and hangs down";
    if ((part == "chest" || part == "spine" || part == "clavicle") && branch.size() >= 2) {
        if (std::abs(way.dot(aside)) > 0.5 * length && length > 0.5 * trunk)
            return "wing or the like" + hangs + ", leads aside";
        if (way.dot(up) < -0.4 * length) return "cape or strap" + hangs + " and hangs down";
    }
    return "helper" + hangs + ", no part of the body plan";
}

}  // namespace

namespace {

/// What hangs elsewhere than on the hand it belongs to: from the fingers up as long as it lies at the hand.
void find_followers(const Skeleton& skeleton, const Pose& pose, RoleMap& map) {
    std::erase_if(map.followers, [&](const FollowerBone& f) {
        const int of = map.joint(f.role);
        return f.joint < 0 || f.joint >= skeleton.size() || of < 0 || of == f.joint ||
               !map.role_of(f.joint).empty() || skeleton.is_ancestor(of, f.joint) ||
               skeleton.is_ancestor(f.joint, of);
    });
    for (const RoleFill& fill : map.fills) {
        if (!is_finger_role(fill.role)) continue;
        const std::string role = "hand" + std::string(side_suffix(role_side(fill.role)));
        const int hand = map.joint(role);
        if (hand < 0 || skeleton.is_ancestor(hand, fill.joint)) continue;
        const double away = (pose.p[size_t(fill.joint)] - pose.p[size_t(hand)]).norm();
        int top = fill.joint;
        for (int up = skeleton.parents[size_t(top)]; up >= 0; up = skeleton.parents[size_t(up)]) {
            const std::string own = map.role_of(up);
            if (skeleton.is_ancestor(up, hand) || (!own.empty() && !is_finger_role(own)) ||
                (pose.p[size_t(up)] - pose.p[size_t(hand)]).norm() > away + 1e-9)
                break;
            top = up;
        }
        const bool is_known = std::any_of(
            map.followers.begin(), map.followers.end(),
            [&](const FollowerBone& f) { return f.joint == top || skeleton.is_ancestor(f.joint, top); });
        if (!is_known) map.followers.push_back({top, role});
    }
}

}  // namespace

void update_role_lists(const Skeleton& skeleton, RoleMap& map, bool ignore_names) {
    map.missing.clear();
    map.unassigned.clear();
    for (const auto& role : body_plan(map.plan).needed)
        if (map.joint(role) < 0) map.missing.push_back(role);
    std::set<int> filled;
    for (const RoleFill& fill : map.fills) filled.insert(fill.joint);
    std::vector<std::string> said(skeleton.names.size());
    std::vector<std::string> other(skeleton.names.size());
    const NameTable names(skeleton, ignore_names);
    for (int j = 0; j < skeleton.size(); ++j) {
        if (filled.contains(j)) continue;
        said[size_t(j)] = names.helper(j);
        other[size_t(j)] = names.other(j);
        // A wing's second bone need not say so.
        const int parent = skeleton.parents[size_t(j)];
        if (other[size_t(j)].empty() && parent >= 0 && names.best_part(j).empty())
            other[size_t(j)] = other[size_t(parent)];
    }
    const Pose pose = rest_pose(skeleton);
    find_twists(skeleton, pose, filled, said, map);
    find_followers(skeleton, pose, map);
    // Where a bone is carried elsewhere than it hangs, that is where it belongs.
    const Skeleton carried = carried_skeleton(skeleton, map);
    const auto children = carried.children();
    const int hips = map.joint("hips");
    const int head = map.joint("head");
    // Below a joint nothing has a role.
    std::vector<char> leads_to_role(skeleton.names.size(), 0);
    for (int j = skeleton.size() - 1; j >= 0; --j) {
        if (filled.contains(j)) leads_to_role[size_t(j)] = 1;
        const int parent = carried.parents[size_t(j)];
        if (parent >= 0 && leads_to_role[size_t(j)]) leads_to_role[size_t(parent)] = 1;
    }
    for (int j = 0; j < skeleton.size(); ++j) {
        if (filled.contains(j)) continue;
        const auto twist = std::find_if(map.twists.begin(), map.twists.end(),
                                        [&](const TwistBone& t) { return t.joint == j; });
        const int parent = carried.parents[size_t(j)];
        int carrier = parent;
        while (carrier >= 0 && !filled.contains(carrier)) carrier = carried.parents[size_t(carrier)];
        const std::string on = carrier >= 0 ? spoken(map.role_of(carrier)) : std::string();
        const double off = parent < 0 ? 0.0 : carried.rest_p[size_t(j)].norm();
        std::string reason;
        if (twist != map.twists.end()) {
            const bool is_segment =
                carried.is_ancestor(j, map.joint(twist->role)) || leads_to_role[size_t(j)];
            reason =
                fmt::format("twist: {} the {}, takes {:.0f} % of its turn",
                            is_segment ? "a segment of" : "along", spoken(twist->role), 100.0 * twist->share);
        } else if (said[size_t(j)] == "twist") {
            reason = on.empty() ? "twist" : "twist: hangs on the " + on;
        } else if (const auto far = std::find_if(map.followers.begin(), map.followers.end(),
                                                 [&](const FollowerBone& f) { return f.joint == j; });
                   far != map.followers.end()) {
            reason = fmt::format("hand: hangs elsewhere in the tree and goes with the {}", spoken(far->role));
        } else if (!other[size_t(j)].empty() && said[size_t(j)] != "end") {
            reason = other[size_t(j)] + (on.empty() ? "" : ": hangs on the " + on);
        } else if (!said[size_t(j)].empty()) {
            reason = said[size_t(j)] + (on.empty() ? "" : ": hangs on the " + on);
        } else if (hips >= 0 && carried.is_ancestor(j, hips)) {
            reason = "wrapper: stands above the hips and carries the whole body";
        } else if (hips >= 0 && !carried.is_ancestor(hips, j)) {
            reason = "prop: stands in no part of the body";
        } else if (leads_to_role[size_t(j)]) {
            reason = off < 1e-6 ? "helper: doubles the " + on
                                : "helper: lies between the " + on + " and what hangs on it";
        } else if (head >= 0 && carried.is_ancestor(head, j)) {
            reason = "face: hangs on the head";
        } else if (children[size_t(j)].empty() &&
                   (off < 1e-6 || (carrier == parent && children[size_t(parent)].size() == 1))) {
            reason = "end: of the " + on;
        } else {
            reason = by_place(carried, pose, children, map, j, on);
        }
        map.unassigned.push_back({j, reason});
    }
}

}  // namespace nb
