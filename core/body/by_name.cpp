#include "core/body/by_name.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace nb {

namespace {

struct LimbPlan {
    std::array<const char*, 4> parts;
    bool has_optional_first;  ///< clavicle
    bool has_optional_last;   ///< toe
};
constexpr LimbPlan leg_plan{{"thigh", "shin", "foot", "toe"}, false, true};
constexpr LimbPlan arm_plan{{"clavicle", "upperarm", "forearm", "hand"}, true, false};

class Proposer {
  public:
    Proposer(const Skeleton& skeleton, const NameTable& names)
        : skeleton_(skeleton), names_(names), children_(skeleton.children()) {}

    RoleMap propose(int root) {
        RoleMap map;
        root_ = root;
        const auto left_leg = limb_tip(leg_plan, Side::left);
        const auto right_leg = limb_tip(leg_plan, Side::right);
        const auto left_arm = limb_tip(arm_plan, Side::left);
        const auto right_arm = limb_tip(arm_plan, Side::right);
        int hips = -1;
        for (const int tip : {left_leg, right_leg, left_arm, right_arm})
            if (tip >= 0) hips = hips < 0 ? tip : skeleton_.common_ancestor(hips, tip);
        const int leg_count = (left_leg >= 0) + (right_leg >= 0);
        if (leg_count < 2) hips = named_hips();
        if (hips < 0) return map;
        const double hips_fit = name_fit("hips", word(hips));
        add(map, "hips", hips, 0.55 + 0.4 * hips_fit,
            {name_evidence(hips, "hips", hips_fit), "both legs and the trunk part here"});

        if (left_leg >= 0) limb(map, leg_plan, hips, left_leg, Side::left);
        if (right_leg >= 0) limb(map, leg_plan, hips, right_leg, Side::right);
        const int chest = trunk(map, hips, left_arm, right_arm);
        if (left_arm >= 0) limb(map, arm_plan, chest, left_arm, Side::left);
        if (right_arm >= 0) limb(map, arm_plan, chest, right_arm, Side::right);
        neck_and_head(map, hips, chest, left_arm, right_arm);
        for (const Side side : {Side::left, Side::right}) fingers(map, side);
        read_face(skeleton_, names_, map);
        if (const int parent = skeleton_.parents[size_t(hips)]; parent >= 0) {
            int top = parent;
            while (skeleton_.parents[size_t(top)] >= 0) top = skeleton_.parents[size_t(top)];
            add(map, "root", top, 0.8, {"it stands above the hips and carries the whole body"});
        }
        compare_sides(map);
        return map;
    }

  private:
    const Skeleton& skeleton_;
    const NameTable& names_;
    std::vector<std::vector<int>> children_;
    int root_ = 0;

    const BoneWords& word(int j) const { return names_.words(j); }
    bool is_helper(int j) const { return !names_.helper(j).empty(); }
    bool is_in_tree(int j) const { return skeleton_.is_ancestor(root_, j); }

    std::string name_evidence(int j, std::string_view part, double fit) const {
        if (fit <= 0.0) return fmt::format("the name '{}' says nothing", skeleton_.names[size_t(j)]);
        return fmt::format("the name '{}' {} {}", skeleton_.names[size_t(j)],
                           fit > 0.85 ? "says" : "may mean", part);
    }

    void add(RoleMap& map, std::string role, int j, double confidence,
             std::vector<std::string> evidence) const {
        if (!map.role_of(j).empty()) return;
        map.fills.push_back(
            {std::move(role), j, std::clamp(confidence, 0.0, 0.99), std::move(evidence), false});
    }

    int named_hips() const {
        for (int j = 0; j < skeleton_.size(); ++j)
            if (is_in_tree(j) && name_fit("hips", word(j)) >= 0.9) return j;
        return -1;
    }

    /// The bone of that side that fits the limb's outermost part best.
    int limb_tip(const LimbPlan& plan, Side side) const {
        int best = -1;
        double best_score = 0.0;
        for (int j = 0; j < skeleton_.size(); ++j) {
            if (is_helper(j) || !is_in_tree(j) || names_.side(j) != side) continue;
            for (size_t part = 0; part < 4; ++part) {
                const double fit = name_fit(plan.parts[part], word(j));
                if (fit < 0.3) continue;
                // Outer parts first; the first bone down the limb wins among equals.
                const double score = double(part) + 0.9 * fit;
                if (score > best_score + 1e-9) {
                    best_score = score;
                    best = j;
                }
            }
        }
        return best;
    }

    double stretch(const std::vector<int>& path, size_t from, size_t to) const {
        double length = 0.0;
        for (size_t i = from + 1; i <= to; ++i) length += skeleton_.rest_p[size_t(path[i])].norm();
        return length;
    }

    void limb(RoleMap& map, const LimbPlan& plan, int body, int tip, Side side) const {
        std::vector<int> path;
        for (const int j : skeleton_.path(body, tip))
            if (!is_helper(j)) path.push_back(j);
        const size_t n = path.size();
        const double whole = n > 0 ? std::max(1e-12, stretch(path, 0, n - 1)) : 1.0;
        const size_t long_first = plan.has_optional_first ? 1 : 0;  // index of the first long bone's part
        constexpr size_t none = 1000;
        std::array<size_t, 4> best{none, none, none, none};
        double best_score = -1e9;
        const auto fit = [&](size_t part, size_t at) { return name_fit(plan.parts[part], word(path[at])); };
        for (size_t a = 0; a < n; ++a) {
            for (size_t b = a + 1; b < n; ++b) {
                for (size_t c = b + 1; c < n; ++c) {
                    std::array<size_t, 4> at{none, none, none, none};
                    at[long_first] = a;
                    at[long_first + 1] = b;
                    at[long_first + 2] = c;
                    double score = fit(long_first, a) + fit(long_first + 1, b) + fit(long_first + 2, c);
                    const double upper = stretch(path, a, b) / whole;
                    const double lower = stretch(path, b, c) / whole;
                    const double ratio = std::min(upper, lower) / std::max({upper, lower, 1e-12});
                    score += (upper > 0.15 && lower > 0.15 ? 0.6 : -2.0) + 0.6 * ratio;
                    const auto consider = [&](double total) {
                        if (total > best_score + 1e-9) {
                            best_score = total;
                            best = at;
                        }
                    };
                    consider(score);
                    if (plan.has_optional_last && c + 1 < n) {
                        for (size_t d = c + 1; d < n; ++d) {
                            at[3] = d;
                            consider(score + fit(3, d) - 0.3);
                        }
                        at[3] = none;
                    }
                    if (plan.has_optional_first) {
                        for (size_t d = 0; d < a; ++d) {
                            at[0] = d;
                            consider(score + fit(0, d) - 0.3);
                        }
                        at[0] = none;
                    }
                }
            }
        }
        if (best_score < -1e8) {
            // Too short a limb for its plan: only what names say.
            for (const int j : path)
                for (const auto* part : plan.parts)
                    if (name_fit(part, word(j)) > 0.8)
                        add(map, part + std::string(side_suffix(side)), j, 0.5,
                            {name_evidence(j, part, 1.0)});
            return;
        }
        for (size_t part = 0; part < 4; ++part) {
            if (best[part] == none) continue;
            const int j = path[best[part]];
            const double name = fit(part, best[part]);
            const bool is_in_order = part == 0 || best[part - 1] == none || best[part - 1] < best[part];
            double confidence = 0.2 + 0.55 * name + (is_in_order ? 0.15 : 0.0);
            std::vector<std::string> evidence{name_evidence(j, plan.parts[part], name)};
            if (part > 0 && best[part - 1] != none)
                evidence.push_back(fmt::format("it follows the {}", plan.parts[part - 1]));
            if (part == long_first || part == long_first + 1) {
                const double share = stretch(path, best[part], best[part + 1]) / whole;
                evidence.push_back(fmt::format("it is {:.0f} % of the limb's length", 100.0 * share));
                confidence += share > 0.15 ? 0.1 : -0.3;
            }
            add(map, plan.parts[part] + std::string(side_suffix(side)), j, confidence, evidence);
        }
    }

    int trunk(RoleMap& map, int hips, int left_arm, int right_arm) const {
        const int both =
            left_arm >= 0 && right_arm >= 0 ? skeleton_.common_ancestor(left_arm, right_arm) : -1;
        if (both < 0 || !skeleton_.is_ancestor(hips, both)) return hips;
        int chest = both;
        while (chest != hips && is_helper(chest)) chest = skeleton_.parents[size_t(chest)];
        if (chest == hips) return both;
        int number = 1;
        for (const int j : skeleton_.path(hips, chest)) {
            if (is_helper(j)) continue;
            const bool is_chest = j == chest;
            const std::string part = is_chest ? "chest" : "spine";
            const double fit = name_fit(part, word(j));
            add(map, is_chest ? part : fmt::format("spine.{}", number++), j, 0.5 + 0.45 * fit,
                {name_evidence(j, part, fit),
                 is_chest ? "both arms part here" : "it lies between the hips and the chest"});
        }
        return both;
    }

    void neck_and_head(RoleMap& map, int hips, int chest, int left_arm, int right_arm) const {
        int head = -1;
        for (int j = 0; j < skeleton_.size(); ++j) {
            const bool is_candidate =
                skeleton_.is_ancestor(hips, j) && !is_helper(j) && map.role_of(j).empty();
            if (head < 0 && is_candidate && word(j).side == Side::none && name_fit("head", word(j)) > 0.5)
                head = j;
        }
        double fit = 1.0;
        if (head < 0) {
            fit = 0.0;
            // Without a telling name: the longest branch of the chest that is no arm.
            double longest = 0.0;
            for (int j = 0; j < skeleton_.size(); ++j) {
                if (chest == hips || !skeleton_.is_ancestor(chest, j) || j == chest || is_helper(j)) continue;
                const bool is_arm = (left_arm >= 0 && skeleton_.common_ancestor(j, left_arm) != chest) ||
                                    (right_arm >= 0 && skeleton_.common_ancestor(j, right_arm) != chest);
                if (!is_arm && skeleton_.path_length(chest, j) > longest) {
                    longest = skeleton_.path_length(chest, j);
                    head = j;
                }
            }
        }
        if (head < 0) return;
        int number = 1;
        for (const int j : skeleton_.path(hips, head)) {
            if (j == head || is_helper(j) || !map.role_of(j).empty()) continue;
            const double neck_fit = name_fit("neck", word(j));
            add(map, fmt::format("neck.{}", number++), j, 0.45 + 0.5 * neck_fit,
                {name_evidence(j, "neck", neck_fit), "it lies between the chest and the head"});
        }
        add(map, "head", head, 0.4 + 0.55 * fit, {name_evidence(head, "head", fit)});
    }

    void fingers(RoleMap& map, Side side) const {
        const std::string suffix(side_suffix(side));
        const int hand = map.joint("hand" + suffix);
        if (hand < 0) return;
        for (const auto* finger : {"thumb", "index", "middle", "ring", "little"}) {
            std::vector<int> joints;
            for (int j = 0; j < skeleton_.size(); ++j) {
                if (j == hand || !skeleton_.is_ancestor(hand, j) || is_helper(j) || !map.role_of(j).empty())
                    continue;
                if (names_.fit(part_index(finger), j) > 0.4 &&
                    (joints.empty() || skeleton_.is_ancestor(joints.back(), j)))
                    joints.push_back(j);
            }
            if (joints.empty()) continue;
            // A metacarpal is said so, stands first of more than three, or lies on the wrist.
            const bool is_thumb = std::string_view(finger) == "thumb";
            const auto is_palm = [&](int j) {
                const BoneWords& w = word(j);
                return w.has("palm") || w.has("metacarpal") || w.has("carpal") || w.has("base") ||
                       w.has("meta");
            };
            const bool has_palm = !is_thumb && joints.size() > 1 && (is_palm(joints[0]) || joints.size() > 3);
            int number = has_palm ? 0 : 1;
            for (const int j : joints) {
                if (number > 4) break;
                const double fit = names_.fit(part_index(finger), j);
                const std::string series = number == 0 ? "palm" : std::to_string(number);
                add(map, fmt::format("{}.{}{}", finger, series, suffix), j, 0.1 + 0.85 * fit,
                    {name_evidence(j, finger, fit), "it lies beyond the hand"});
                ++number;
            }
        }
    }

    void compare_sides(RoleMap& map) const {
        for (RoleFill& fill : map.fills) {
            if (role_side(fill.role) == Side::none) continue;
            const int other = map.joint(mirrored_role(fill.role));
            if (other < 0) {
                fill.confidence *= 0.85;
                fill.evidence.emplace_back("the other side has no such bone");
                continue;
            }
            const double a = skeleton_.rest_p[size_t(fill.joint)].norm();
            const double b = skeleton_.rest_p[size_t(other)].norm();
            if (std::abs(a - b) > 0.2 * std::max(a, b) + 1e-9) {
                fill.confidence -= 0.1;
                fill.evidence.push_back(fmt::format("its offset and its mirror's differ by {:.0f} %",
                                                    100.0 * std::abs(a - b) / std::max(a, b)));
            } else {
                fill.evidence.push_back(fmt::format("'{}' mirrors it", skeleton_.names[size_t(other)]));
            }
        }
    }
};

}  // namespace

void read_face(const Skeleton& skeleton, const NameTable& names, RoleMap& map) {
    static const int jaw = part_index("jaw");
    static const int eye = part_index("eye");
    const int head = map.joint("head");
    const auto give = [&](const std::string& role, const char* part, int j) {
        if (!map.role_of(j).empty() || map.joint(role) >= 0) return;
        map.fills.push_back(
            {role, j, 0.9, {fmt::format("the name '{}' says {}", skeleton.names[size_t(j)], part)}, false});
    };
    for (int j = 0; head >= 0 && j < skeleton.size(); ++j) {
        if (j == head || !skeleton.is_ancestor(head, j) || !names.helper(j).empty()) continue;
        if (names.fit(jaw, j) > 0.9) give("jaw", "jaw", j);
        const std::string suffix(side_suffix(names.own_side(j)));
        if (names.fit(eye, j) > 0.9 && !suffix.empty() && names.words(j).words.size() == 1)
            give("eye" + suffix, "eye", j);
    }
}

RoleMap propose_roles_by_name(const Skeleton& skeleton, const NameTable& names, int root) {
    return Proposer(skeleton, names).propose(root);
}

}  // namespace nb
