#include "core/body/roles.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/body/names.hpp"
#include "core/body/shape.hpp"

namespace nb {

int RoleMap::joint(std::string_view role) const {
    const RoleFill* found = fill(role);
    return found ? found->joint : -1;
}

const RoleFill* RoleMap::fill(std::string_view role) const {
    const auto it =
        std::find_if(fills.begin(), fills.end(), [&](const RoleFill& f) { return f.role == role; });
    return it == fills.end() ? nullptr : &*it;
}

std::string RoleMap::role_of(int joint) const {
    const auto it =
        std::find_if(fills.begin(), fills.end(), [&](const RoleFill& f) { return f.joint == joint; });
    return it == fills.end() ? std::string() : it->role;
}

std::vector<std::string> RoleMap::unsure() const {
    std::vector<std::string> result;
    for (const auto& role : needed_roles())
        if (const RoleFill* found = fill(role);
            found && !found->is_by_hand && found->confidence < unsure_below)
            result.push_back(role);
    return result;
}

std::string RoleMap::parent_role(std::string_view role) const {
    if (role == "hips" || role == "root") return {};
    const auto& chains = biped_chains();
    for (const ChainPlan& chain : chains) {
        const auto at = std::find(chain.roles.begin(), chain.roles.end(), role);
        if (at == chain.roles.end()) continue;
        for (auto before = at; before != chain.roles.begin();)
            if (joint(*--before) >= 0) return *before;
        const auto parent = std::find_if(chains.begin(), chains.end(),
                                         [&](const ChainPlan& c) { return c.name == chain.parent_chain; });
        if (parent == chains.end()) return "hips";
        for (auto last = parent->roles.rbegin(); last != parent->roles.rend(); ++last)
            if (joint(*last) >= 0) return *last;
        return "hips";
    }
    return joint("head") >= 0 ? "head" : "hips";  // eyes and jaw
}

std::vector<int> RoleMap::chain(const ChainPlan& of) const {
    std::vector<int> result;
    for (const auto& role : of.roles)
        if (const int j = joint(role); j >= 0) result.push_back(j);
    return result;
}

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
    explicit Proposer(const Skeleton& skeleton) : skeleton_(skeleton), children_(skeleton.children()) {
        for (int j = 0; j < skeleton.size(); ++j) {
            words_.push_back(read_bone_name(skeleton.names[size_t(j)]));
            helper_.push_back(helper_reason(words_.back()));
        }
    }

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
        face(map);
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
    std::vector<std::vector<int>> children_;
    std::vector<BoneWords> words_;
    std::vector<std::string> helper_;
    int root_ = 0;

    const BoneWords& word(int j) const { return words_[size_t(j)]; }
    bool is_helper(int j) const { return !helper_[size_t(j)].empty(); }
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

    int side_below(int j) const {
        // A bone without a side mark inherits that of its nearest marked ancestor.
        for (; j >= 0; j = skeleton_.parents[size_t(j)])
            if (word(j).side != Side::none) return int(word(j).side);
        return int(Side::none);
    }

    /// The bone of that side that fits the limb's outermost part best.
    int limb_tip(const LimbPlan& plan, Side side) const {
        int best = -1;
        double best_score = 0.0;
        for (int j = 0; j < skeleton_.size(); ++j) {
            if (is_helper(j) || !is_in_tree(j) || side_below(j) != int(side)) continue;
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
                if (name_fit(finger, word(j)) > 0.4 &&
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
                const double fit = name_fit(finger, word(j));
                const std::string series = number == 0 ? "palm" : std::to_string(number);
                add(map, fmt::format("{}.{}{}", finger, series, suffix), j, 0.1 + 0.85 * fit,
                    {name_evidence(j, finger, fit), "it lies beyond the hand"});
                ++number;
            }
        }
    }

    void face(RoleMap& map) const {
        const int head = map.joint("head");
        for (int j = 0; head >= 0 && j < skeleton_.size(); ++j) {
            if (j == head || !skeleton_.is_ancestor(head, j) || is_helper(j)) continue;
            if (name_fit("jaw", word(j)) > 0.9) add(map, "jaw", j, 0.9, {name_evidence(j, "jaw", 1.0)});
            const std::string suffix(side_suffix(word(j).side));
            if (name_fit("eye", word(j)) > 0.9 && !suffix.empty() && word(j).words.size() == 1)
                add(map, "eye" + suffix, j, 0.9, {name_evidence(j, "eye", 1.0)});
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

void update_role_lists(const Skeleton& skeleton, RoleMap& map) {
    map.missing.clear();
    map.unassigned.clear();
    for (const auto& role : needed_roles())
        if (map.joint(role) < 0) map.missing.push_back(role);
    std::set<int> filled;
    for (const RoleFill& fill : map.fills) filled.insert(fill.joint);
    for (int j = 0; j < skeleton.size(); ++j) {
        if (filled.contains(j)) continue;
        std::string reason = helper_reason(read_bone_name(skeleton.names[size_t(j)]));
        if (reason.empty()) reason = "no part of the body plan";
        map.unassigned.push_back({j, reason});
    }
}

namespace {

/// Where names leave needed roles open, shape fills them: the whole body when names find little, else what is
/// missing and free, with the reason.
void complete_by_shape(const Skeleton& skeleton, RoleMap shape, RoleMap& map) {
    if (shape.fills.empty()) return;
    const size_t found_by_name = needed_roles().size() - map.missing.size();
    if (found_by_name < 5) {
        shape.notes = map.notes;
        shape.notes.emplace_back("the names say little: roles are by shape and tree");
        map = std::move(shape);
        return;
    }
    if (shape.plan != map.plan) return;
    for (const RoleFill& fill : shape.fills) {
        if (map.joint(fill.role) >= 0 || !map.role_of(fill.joint).empty()) continue;
        const int parent = map.joint(map.parent_role(fill.role));
        const bool is_needed =
            std::find(map.missing.begin(), map.missing.end(), fill.role) != map.missing.end();
        if (!is_needed || (parent >= 0 && fill.role != "hips" && !skeleton.is_ancestor(parent, fill.joint)))
            continue;
        map.fills.push_back(fill);
        map.fills.back().evidence.emplace_back("no name says it");
    }
    update_role_lists(skeleton, map);
}

/// Names say one side, the body the other (its feet and knees show where ahead is): both are unsure, and it
/// is told.
void compare_with_shape(const RoleMap& shape, RoleMap& map) {
    for (const std::string part : {"thigh", "upperarm"}) {
        const RoleFill* seen = shape.fill(part + ".left");
        if (!seen || seen->confidence < 0.8 || seen->joint != map.joint(part + ".right")) continue;
        const std::string limb = part == "thigh" ? "leg" : "arm";
        for (const ChainPlan& chain : biped_chains()) {
            const bool is_of_limb =
                chain.name.starts_with(limb) || (limb == "arm" && chain.parent_chain.starts_with("arm"));
            if (!is_of_limb) continue;
            for (RoleFill& fill : map.fills) {
                if (std::find(chain.roles.begin(), chain.roles.end(), fill.role) == chain.roles.end())
                    continue;
                fill.confidence = std::min(fill.confidence, 0.5);
                fill.evidence.emplace_back(
                    "the body says the other side: feet and knees show where ahead is");
            }
        }
        map.notes.push_back(
            fmt::format("the names of the {}s say the sides the other way round than the body does", limb));
    }
}

}  // namespace

RoleMap propose_roles(const Skeleton& skeleton) {
    Proposer proposer(skeleton);
    RoleMap best;
    int best_root = -1;
    for (int j = 0; j < skeleton.size(); ++j) {
        if (skeleton.parents[size_t(j)] >= 0) continue;
        RoleMap map = proposer.propose(j);
        if (best_root < 0 || map.fills.size() > best.fills.size()) {
            best = std::move(map);
            best_root = j;
        }
    }
    for (int j = 0; j < skeleton.size(); ++j)
        if (skeleton.parents[size_t(j)] < 0 && j != best_root)
            best.notes.push_back(
                fmt::format("a further tree starts at '{}': another body or a prop; '{}' is taken",
                            skeleton.names[size_t(j)], skeleton.names[size_t(best_root)]));
    update_role_lists(skeleton, best);
    if (best_root < 0) return best;
    RoleMap shape = propose_roles_by_shape(skeleton, best_root);
    compare_with_shape(shape, best);
    if (!best.missing.empty()) complete_by_shape(skeleton, std::move(shape), best);
    return best;
}

}  // namespace nb
