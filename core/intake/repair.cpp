#include "core/intake/repair.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <string_view>
#include "core/motion/kinematics.hpp"

namespace nb {

std::vector<std::string> make_names_unique(Skeleton& skeleton) {
    std::vector<std::string> renamed;
    std::set<std::string> used;
    for (const std::string& name : skeleton.names) used.insert(name);
    std::set<std::string> seen;
    std::map<std::string, int> next;  // the first number that may be free
    for (std::string& name : skeleton.names) {
        if (seen.insert(name).second) continue;
        std::string other;
        int& number = next.try_emplace(name, 2).first->second;
        for (; other.empty() || used.contains(other); ++number) other = fmt::format("{}_{}", name, number);
        used.insert(other);
        seen.insert(other);
        name = other;
        renamed.push_back(other);
    }
    return renamed;
}

double lowest_foot_point(const Skeleton& skeleton, const RoleMap& roles, const Pose& rest) {
    double low = 1e30;
    std::vector<std::vector<const EndSite*>> sites(skeleton.names.size());
    for (const EndSite& site : skeleton.end_sites) sites[size_t(site.joint)].push_back(&site);
    for (int j = 0; j < skeleton.size(); ++j)
        for (const auto* foot : {"foot.left", "foot.right", "hand.left", "hand.right"}) {
            const bool is_hand = std::string_view(foot).starts_with("hand");
            if (is_hand && !roles.is_four_legged()) continue;
            const int ankle = roles.joint(foot);
            if (ankle < 0 || (j != ankle && !skeleton.is_ancestor(ankle, j))) continue;
            low = std::min(low, rest.p[size_t(j)].y());
            for (const EndSite* site : sites[size_t(j)])
                low = std::min(low, (rest.p[size_t(j)] + rest.R[size_t(j)] * site->offset_m).y());
        }
    return low;
}

Vec3 body_centre(const RoleMap& roles, const Pose& pose) {
    Vec3 sum = Vec3::Zero();
    int count = 0;
    for (const auto* role : {"thigh.left", "thigh.right", "upperarm.left", "upperarm.right"}) {
        const bool is_shoulder = std::string_view(role).starts_with("upperarm");
        const int joint = roles.joint(role);
        if (joint < 0 || (is_shoulder && !roles.is_four_legged())) continue;
        sum += pose.p[size_t(joint)];
        ++count;
    }
    return count ? Vec3(sum / count) : sum;
}

void stand_rest(Skeleton& skeleton, const RoleMap& roles, bool on_floor, bool over_origin) {
    const int hips = roles.joint("hips");
    const int left = roles.joint("thigh.left");
    const int right = roles.joint("thigh.right");
    if (hips < 0 || left < 0 || right < 0) return;
    const Pose rest = rest_pose(skeleton);
    Vec3 shift = Vec3::Zero();
    if (const double low = lowest_foot_point(skeleton, roles, rest); on_floor && low < 1e29) shift.y() = -low;
    if (over_origin) {
        const Vec3 centre = body_centre(roles, rest);
        shift.x() = -centre.x();
        shift.z() = -centre.z();
    }
    int root = hips;
    while (skeleton.parents[size_t(root)] >= 0) root = skeleton.parents[size_t(root)];
    skeleton.rest_p[size_t(root)] += shift;
}

std::vector<Break> find_breaks(const Take& take) {
    std::vector<Break> breaks;
    if (take.frames < 5) return breaks;
    std::vector<double> steps(size_t(take.frames));
    for (int j = 0; j < take.joints; ++j) {
        const auto R = [&](int f) -> const Quat& {
            return take.R[size_t(f) * size_t(take.joints) + size_t(j)];
        };
        for (int f = 1; f < take.frames; ++f) steps[size_t(f)] = angle_between(R(f - 1), R(f));
        for (int f = take.first_motion_frame + 1; f + 1 < take.frames; ++f) {
            const double in = steps[size_t(f)];
            const double out = steps[size_t(f) + 1];
            if (std::min(in, out) < deg_to_rad(25.0)) continue;
            if (angle_between(R(f - 1), R(f + 1)) > 0.3 * std::min(in, out)) continue;
            std::vector<double> near;
            for (int k = std::max(1, f - 12); k <= std::min(take.frames - 1, f + 12); ++k)
                if (k != f && k != f + 1) near.push_back(steps[size_t(k)]);
            std::nth_element(near.begin(), near.begin() + std::ptrdiff_t(near.size() / 2), near.end());
            if (std::min(in, out) > 8.0 * near[near.size() / 2]) breaks.push_back({f, j, std::min(in, out)});
        }
    }
    std::sort(breaks.begin(), breaks.end(), [](const Break& a, const Break& b) {
        return a.frame != b.frame ? a.frame < b.frame : a.joint < b.joint;
    });
    return breaks;
}

void bridge(Take& take, const std::vector<Break>& breaks) {
    std::vector<Quat>& R = take.R.edit();
    for (const Break& b : breaks) {
        const auto at = [&](int f) { return size_t(f) * size_t(take.joints) + size_t(b.joint); };
        R[at(b.frame)] = interpolate(R[at(b.frame - 1)], R[at(b.frame + 1)], 0.5);
    }
}

void change_lengths(Skeleton& skeleton, const RoleMap& roles, const std::map<std::string, double>& factors,
                    Take* take) {
    // A bone's length lies in the offsets of what hangs on it, on the way to the next role.
    const Skeleton before = skeleton;
    const auto stretch = [&](int from, int to, double factor) {
        if (from < 0 || to < 0) return;
        for (const int j : skeleton.path(from, to)) {
            skeleton.rest_p[size_t(j)] = factor * before.rest_p[size_t(j)];
            if (take)
                for (size_t m = 0; m < take->translated.size(); ++m)
                    if (take->translated[m] == j) {
                        for (int f = 0; f < take->frames; ++f)
                            take->p.edit()[size_t(f) * take->translated.size() + m] *= factor;
                        if (!take->start_p.empty()) take->start_p.edit()[m] *= factor;
                    }
        }
    };
    const auto factor_of = [&](const std::string& part) {
        const auto at = factors.find(part);
        return at == factors.end() ? 1.0 : at->second;
    };
    double legs = 0.0;
    for (const std::string side : {".left", ".right"}) {
        const auto of_side = [&](const std::string& part) {
            return factor_of(part + "s") * factor_of(part + side);
        };
        stretch(roles.joint("upperarm" + side), roles.joint("hand" + side), of_side("arm"));
        stretch(roles.joint("thigh" + side), roles.joint("foot" + side), of_side("leg"));
        legs += 0.5 * of_side("leg");
        const int hand = roles.joint("hand" + side);
        for (int j = 0; hand >= 0 && j < skeleton.size(); ++j)
            if (j != hand && skeleton.is_ancestor(hand, j))
                stretch(skeleton.parents[size_t(j)], j, of_side("hand"));
    }
    const int hips = roles.joint("hips");
    const int chest = roles.joint("chest");
    stretch(hips, chest, factor_of("trunk"));
    stretch(chest, roles.joint("head"), factor_of("neck"));
    const int left = roles.joint("thigh.left");
    const int right = roles.joint("thigh.right");
    if (legs == 1.0 || hips < 0 || left < 0 || right < 0) return;
    // The hip centre's path: horizontally times the factor, vertically above the ankles of the flat foot.
    const Pose rest = rest_pose(before);
    const double ankle = 0.039 / 0.491 * 0.5 *
                         (before.path_length(left, roles.joint("foot.left")) +
                          before.path_length(right, roles.joint("foot.right")));
    const auto moved = [&](const Vec3& centre) {
        return Vec3((legs - 1.0) * centre.x(), (legs - 1.0) * (centre.y() - ankle),
                    (legs - 1.0) * centre.z());
    };
    int carrier = hips;
    if (take)
        while (carrier >= 0 &&
               std::find(take->translated.begin(), take->translated.end(), carrier) == take->translated.end())
            carrier = skeleton.parents[size_t(carrier)];
    int root = hips;
    while (skeleton.parents[size_t(root)] >= 0) root = skeleton.parents[size_t(root)];
    skeleton.rest_p[size_t(root)] += moved(0.5 * (rest.p[size_t(left)] + rest.p[size_t(right)]));
    if (!take || carrier < 0) return;
    const size_t slot = size_t(std::find(take->translated.begin(), take->translated.end(), carrier) -
                               take->translated.begin());
    const int parent = skeleton.parents[size_t(carrier)];
    for (int f = 0; f < take->frames; ++f) {
        const Pose pose = pose_at(before, *take, f);
        const Vec3 shift = moved(0.5 * (pose.p[size_t(left)] + pose.p[size_t(right)]));
        Vec3& p = take->p.edit()[size_t(f) * take->translated.size() + slot];
        p += parent < 0 ? shift : Vec3(pose.R[size_t(parent)].conjugate() * shift);
    }
}

}  // namespace nb
