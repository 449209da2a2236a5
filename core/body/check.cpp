#include "core/body/check.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/body/carried.hpp"

namespace nb {

namespace {

class Checker {
  public:
    Checker(const Skeleton& skeleton, const RoleMap& roles)
        : s_(carried_skeleton(skeleton, roles)),
          roles_(roles),
          plan_(body_plan(roles.plan)),
          pose_(rest_pose(skeleton)) {}

    std::vector<CheckEntry> check() {
        for (const auto& role : roles_.missing)
            add("missing", 10.0, fmt::format("no bone for {}", spoken(role)), {}, {role});
        order();
        sides();
        lengths();
        proportions();
        straightness();
        counts();
        for (const RoleFill& fill : roles_.fills)
            if (fill.is_unsure())
                add("unsure", 3.0 * (1.0 - fill.confidence),
                    fmt::format("{} is '{}', {:.0f} % sure", spoken(fill.role), name(fill.joint),
                                100.0 * fill.confidence),
                    {fill.joint}, {fill.role});
        std::stable_sort(entries_.begin(), entries_.end(),
                         [](const CheckEntry& a, const CheckEntry& b) { return a.weight > b.weight; });
        return std::move(entries_);
    }

  private:
    const Skeleton s_;  // as the body is carried
    const RoleMap& roles_;
    const BodyPlan& plan_;
    Pose pose_;
    std::vector<CheckEntry> entries_;

    static std::string spoken(std::string role) {
        std::replace(role.begin(), role.end(), '.', ' ');
        return role;
    }
    const std::string& name(int joint) const { return s_.names[size_t(joint)]; }
    const Vec3& at(int joint) const { return pose_.p[size_t(joint)]; }
    void add(const char* kind, double weight, std::string what, std::vector<int> joints,
             std::vector<std::string> roles) {
        entries_.push_back({kind, std::move(what), std::move(joints), std::move(roles), weight});
    }

    /// A limb may leave the trunk at any of its bones, and the trunk may be rooted anywhere in it.
    bool starts_in_the_trunk(const RoleFill& fill, int above) const {
        const int meet = s_.common_ancestor(above, fill.joint);
        if (meet < 0 || meet == fill.joint) return meet >= 0 && role_side(fill.role) == Side::none;
        const std::string part = role_part(roles_.role_of(meet));
        return part == "hips" || part == "spine" || part == "chest" || part == "neck";
    }

    void order() {
        for (const RoleFill& fill : roles_.fills) {
            const std::string parent = roles_.parent_role(fill.role);
            const int above = parent.empty() ? -1 : roles_.joint(parent);
            if (above < 0 || above == fill.joint || s_.is_ancestor(above, fill.joint)) continue;
            if (starts_in_the_trunk(fill, above)) continue;
            add("order", 8.0,
                fmt::format("{} '{}' does not hang below {} '{}'", spoken(fill.role), name(fill.joint),
                            spoken(parent), name(above)),
                {fill.joint, above}, {fill.role, parent});
        }
    }

    void sides() {
        for (const char* part : {"thigh", "shin", "foot", "clavicle", "upperarm", "forearm", "hand"}) {
            const std::string left = std::string(part) + ".left";
            const std::string right = std::string(part) + ".right";
            const int l = roles_.joint(left);
            const int r = roles_.joint(right);
            if (l < 0 || r < 0) continue;
            const double apart = at(l).x() - at(r).x();
            const double length = std::max(1e-9, (at(l) - at(r)).norm());
            if (apart < -0.2 * length)
                add("sides", 7.0,
                    fmt::format("{}: the left one stands {:.0f} cm to the right of the right one", part,
                                -100.0 * apart),
                    {l, r}, {left, right});
        }
    }

    double bone_length(const std::string& role) const {
        static const std::vector<std::pair<std::string, std::string>> next{
            {"upperarm", "forearm"}, {"forearm", "hand"}, {"thigh", "shin"},
            {"shin", "foot"},        {"foot", "toe"},     {"clavicle", "upperarm"}};
        const std::string side(side_suffix(role_side(role)));
        for (const auto& [part, end] : next)
            if (part == role_part(role)) {
                const int a = roles_.joint(role);
                const int b = roles_.joint(end + side);
                return a >= 0 && b >= 0 ? (at(a) - at(b)).norm() : 0.0;
            }
        return 0.0;
    }

    void lengths() {
        for (const char* part : {"thigh", "shin", "foot", "clavicle", "upperarm", "forearm"}) {
            const std::string left = std::string(part) + ".left";
            const std::string right = std::string(part) + ".right";
            const double l = bone_length(left);
            const double r = bone_length(right);
            if (l < 1e-6 || r < 1e-6) continue;
            const double off = std::abs(std::log(l / r));
            if (off > 0.12)
                add("lengths", 2.0 + off,
                    fmt::format("{}: left {:.1f} cm, right {:.1f} cm", part, 100.0 * l, 100.0 * r),
                    {roles_.joint(left), roles_.joint(right)}, {left, right});
        }
    }

    void proportions() {
        if (plan_.stature_shares.empty()) return;
        double length = 0.0;
        double share = 0.0;
        for (const auto& [part, of] : plan_.stature_shares)
            for (const char* side : {".left", ".right"})
                if (const double l = bone_length(part + side); l > 1e-6) {
                    length += l;
                    share += of;
                }
        if (share < 0.5) return;
        const double stature = length / share;
        for (const auto& [part, of] : plan_.stature_shares)
            for (const char* side : {".left", ".right"}) {
                const std::string role = part + side;
                const double l = bone_length(role);
                if (l < 1e-6) continue;
                const double ratio = l / (of * stature);
                if (ratio > 0.6 && ratio < 1.6) continue;
                add("proportions", 1.0 + std::abs(std::log(ratio)),
                    fmt::format("{} is {:.1f} cm, {:.1f} times a human's of these limbs", spoken(role),
                                100.0 * l, ratio),
                    {roles_.joint(role)}, {role});
            }
    }

    void straightness() {
        std::vector<int> trunk;
        if (const int hips = roles_.joint("hips"); hips >= 0) trunk.push_back(hips);
        for (const char* chain : {"spine", "neck"})
            if (const ChainPlan* plan = plan_.chain(chain))
                for (const int j : roles_.chain(*plan)) trunk.push_back(j);
        for (size_t i = 2; i < trunk.size() && !roles_.is_four_legged(); ++i) {
            const Vec3 below = at(trunk[i - 1]) - at(trunk[i - 2]);
            const Vec3 above = at(trunk[i]) - at(trunk[i - 1]);
            if (below.norm() < 1e-4 || above.norm() < 1e-4) continue;
            const double bend = rad_to_deg(angle_between(below, above));
            if (bend > 75.0)
                add("straightness", 1.5,
                    fmt::format("the trunk folds by {:.0f} degrees at '{}'", bend, name(trunk[i - 1])),
                    {trunk[i - 1]}, {roles_.role_of(trunk[i - 1])});
        }
        for (const auto& [a, b, c] : {std::array<const char*, 3>{"thigh", "shin", "foot"},
                                      std::array<const char*, 3>{"upperarm", "forearm", "hand"}})
            for (const std::string side : {".left", ".right"}) {
                const int first = roles_.joint(a + side);
                const int middle = roles_.joint(b + side);
                const int last = roles_.joint(c + side);
                if (first < 0 || middle < 0 || last < 0 || roles_.is_four_legged()) continue;
                const double bend =
                    rad_to_deg(angle_between(Vec3(at(middle) - at(first)), Vec3(at(last) - at(middle))));
                if (bend > 140.0)
                    add("straightness", 1.5,
                        fmt::format("the limb folds by {:.0f} degrees at '{}'", bend, name(middle)), {middle},
                        {b + side});
            }
    }

    void counts() {
        for (const ChainPlan& chain : plan_.chains) {
            const auto joints = roles_.chain(chain);
            const int count = int(joints.size());
            if (count == 0 || (count >= chain.bones.first && count <= chain.bones.second)) continue;
            std::vector<std::string> concerned;
            concerned.reserve(joints.size());
            for (const int j : joints) concerned.push_back(roles_.role_of(j));
            add("count", 0.5,
                fmt::format("{} has {} bones; {} to {} are usual", spoken(chain.name), count,
                            chain.bones.first, chain.bones.second),
                joints, concerned);
        }
    }
};

}  // namespace

std::vector<CheckEntry> check_roles(const Skeleton& skeleton, const RoleMap& roles) {
    return Checker(skeleton, roles).check();
}

}  // namespace nb
