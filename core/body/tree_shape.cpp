#include "core/body/tree_shape.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/shape.hpp"

namespace nb {

TreeShape::TreeShape(const Skeleton& skeleton, const NameTable& names, const RoleRequest& request)
    : s_(skeleton), names_(names), pose_(rest_pose(skeleton)), skin_(request.skin), motion_(request.motion) {
    const size_t n = skeleton.names.size();
    children_ = skeleton.children();
    is_side_ = find_side_bones(skeleton);
    // A skin on few bones (a coat, a bag) says little of the rest.
    const auto skinned =
        std::count_if(skin_.begin(), skin_.end(), [](const JointSkin& s) { return s.weight > 0.0; });
    has_skin_ = skinned >= 8;
    // What carries skin below a bone that carries none lies beside no limb's bone.
    for (size_t j = 0; j < n && has_skin_; ++j)
        if (const int parent = s_.parents[j];
            parent >= 0 && skin_[j].weight > 0.0 && skin_[size_t(parent)].weight <= 0.0)
            is_side_[j] = 0;
    length_.assign(n, 0.0);
    reach_.assign(n, 0.0);
    for (size_t j = 0; j < n; ++j) length_[j] = s_.parents[j] < 0 ? 0.0 : s_.rest_p[j].norm();
    site_of_.assign(n, -1);
    for (size_t k = s_.end_sites.size(); k-- > 0;)
        if (s_.end_sites[k].offset_m.norm() > 1e-9) site_of_[size_t(s_.end_sites[k].joint)] = int(k);
    const auto has_site = [&](int j) { return site_of_[size_t(j)] >= 0; };
    double whole = 0.0;
    for (const double length : length_) whole = std::max(whole, length);
    for (size_t j = 0; j < n; ++j) {
        // A leaf in the very place of its bone is a tag, unless it carries the skin in its stead.
        const int parent = s_.parents[j];
        if (parent < 0 || !children_[j].empty() || length_[j] > 0.01 * whole || has_site(int(j))) continue;
        const bool stands_in = has_skin_ && skin_[j].weight > 0.0 && skin_[size_t(parent)].weight <= 0.0;
        if (!stands_in) is_side_[j] = 1;
    }
    carries_below_.assign(n, 0);
    for (size_t j = n; has_skin_ && j-- > 0;) {
        if (skin_[j].weight > 0.0) carries_below_[j] = 1;
        if (const int parent = s_.parents[j]; parent >= 0 && carries_below_[j])
            carries_below_[size_t(parent)] = 1;
    }
    // Below a control that names of fingers hang on, the body goes on.
    std::vector<char> has_part_below(n, 0);
    for (size_t j = n; j-- > 0;) {
        if (names.helper(int(j)).empty() && !names.best_part(int(j)).empty()) has_part_below[j] = 1;
        if (const int parent = s_.parents[j]; parent >= 0 && has_part_below[j])
            has_part_below[size_t(parent)] = 1;
    }
    std::set<int> given;
    for (const auto& [role, joint] : request.given)
        for (int up = joint; up >= 0; up = s_.parents[size_t(up)]) given.insert(up);
    is_out_.assign(n, 0);
    for (size_t j = 0; j < n; ++j) {
        const int parent = s_.parents[j];
        const bool is_leaf = children_[j].empty();
        const std::string& said = names.helper(int(j));
        const bool is_carrying = has_skin_ && skin_[j].weight > 0.0;
        if (!said.empty() && is_leaf) is_side_[j] = 1;
        bool is_out = is_side_[j];
        // What is called a control, or carries nothing on a rig with a skin, leads nowhere.
        if ((said == "control" || said == "prop" || said == "helper") && !is_carrying &&
            !(has_skin_ ? carries_below_[j] : has_part_below[j]))
            is_out = true;
        if (has_skin_ && !carries_below_[j] && !is_leaf) is_out = true;
        if (parent >= 0 && is_out_[size_t(parent)]) is_out = true;
        if (given.contains(int(j))) is_out = false;
        is_out_[j] = is_out;
    }
    for (const EndSite& site : skeleton.end_sites)
        reach_[size_t(site.joint)] = std::max(reach_[size_t(site.joint)], site.offset_m.norm());
    for (size_t j = n; j-- > 0;) {
        const int parent = s_.parents[j];
        if (parent < 0) continue;
        const bool is_end = is_side_[j] && names.helper(int(j)) == "end";
        if (is_out_[j] && !is_end) continue;
        reach_[size_t(parent)] = std::max(reach_[size_t(parent)], reach_[j] + length_[j]);
    }
    for (size_t j = 0; j < n; ++j) extent_ = std::max(extent_, reach_[j]);
    // Of a brush of bones the longest may be limbs; all with all would never end.
    constexpr size_t most_branches = 48;
    branches_ = children_;
    for (std::vector<int>& branches : branches_) {
        if (branches.size() <= most_branches) continue;
        std::erase_if(branches, [this](int c) { return !leads_on(c); });
        std::stable_sort(branches.begin(), branches.end(),
                         [this](int a, int b) { return bone(a) + reach(a) > bone(b) + reach(b); });
        branches.resize(std::min(branches.size(), most_branches));
        std::sort(branches.begin(), branches.end());
    }
}

bool TreeShape::tip_of(int joint, Vec3& tip) const {
    if (const int k = site_of_[size_t(joint)]; k >= 0) {
        tip = at(joint) + pose_.R[size_t(joint)] * s_.end_sites[size_t(k)].offset_m;
        return true;
    }
    for (const int c : children(joint))
        if ((names_.helper(c) == "end" || is_bare_below(c)) && bone(c) > 1e-9) {
            tip = at(c);
            return true;
        }
    if (has_skin_ && skin_[size_t(joint)].weight > 0.0) {
        // As far again beyond the middle of its skin.
        tip = at(joint) + 2.0 * (skin_[size_t(joint)].centre - at(joint));
        return (tip - at(joint)).norm() > 1e-9;
    }
    return false;
}

std::vector<int> TreeShape::ways(int j) const {
    std::vector<int> result;
    for (const int c : children(j))
        if (leads_on(c)) result.push_back(c);
    return result;
}

int TreeShape::onward(int j) const {
    int best = -1;
    double far = -1.0;
    for (const int c : children(j))
        if (leads_on(c) && bone(c) + reach(c) > far) {
            far = bone(c) + reach(c);
            best = c;
        }
    return best;
}

std::vector<int> TreeShape::run(int first) const {
    std::vector<int> result;
    for (int j = first; j >= 0; j = onward(j)) result.push_back(j);
    return result;
}

bool TreeShape::is_alike(int a, int b) const {
    if (!leads_on(a) || !leads_on(b)) return false;
    // What is called a wing, a skirt, a heel is no limb.
    for (const int j : {a, b})
        if (!names_.other(j).empty() && names_.other(j) != "pelvis") return false;
    const Side side_a = names_.own_side(a);
    const Side side_b = names_.own_side(b);
    if (side_a != Side::none && side_a == side_b) return false;
    const double la = bone(a);
    const double lb = bone(b);
    return std::abs(la - lb) < 0.03 * extent_ || std::abs(std::log(la / lb)) < 0.7;
}

/// Length of the longest way that both branches have, from the bones a and b on.
double TreeShape::common(int a, int b) const {
    const std::uint64_t key = (std::uint64_t(std::uint32_t(a)) << 32) | std::uint32_t(b);
    if (const auto known = common_.find(key); known != common_.end()) return known->second;
    double most = 0.0;
    for (const int ca : branches(a))
        for (const int cb : branches(b))
            if (is_alike(ca, cb)) most = std::max(most, 0.5 * (bone(ca) + bone(cb)) + common(ca, cb));
    Vec3 ta, tb;
    if (most == 0.0 && tip_of(a, ta) && tip_of(b, tb))
        most = std::min((ta - at(a)).norm(), (tb - at(b)).norm());
    common_.emplace(key, most);
    return most;
}

void TreeShape::measure(PairRun& run) const {
    const size_t n = run.joints.size();
    run.p.clear();
    for (const auto& [a, b] : run.joints) run.p.push_back({at(a), at(b)});
    std::array<Vec3, 2> tip;
    if (tip_of(run.joints.back()[0], tip[0]) && tip_of(run.joints.back()[1], tip[1])) run.p.push_back(tip);
    run.length.assign(n, 0.0);
    run.turn_deg.assign(n, 0.0);
    run.fan.assign(n, 0);
    run.total = 0.0;
    run.unlikeness = 0.0;
    run.named = 0;
    for (size_t i = 0; i + 1 < run.p.size(); ++i) {
        for (size_t side = 0; side < 2; ++side)
            run.length[i] += 0.5 * (run.p[i + 1][side] - run.p[i][side]).norm();
        run.total += run.length[i];
    }
    for (size_t i = 0; i < n; ++i) {
        const auto& [a, b] = run.joints[i];
        if (i > 0 && std::min(bone(a), bone(b)) > 0.02 * extent_)
            run.unlikeness += std::abs(std::log(bone(a) / bone(b)));
        run.named += (names_.own_side(a) == Side::left) - (names_.own_side(a) == Side::right) -
                     (names_.own_side(b) == Side::left) + (names_.own_side(b) == Side::right);
        for (size_t side = 0; side < 2 && i > 0 && i + 1 < run.p.size(); ++side) {
            const Vec3 before = run.p[i][side] - run.p[i - 1][side];
            const Vec3 after = run.p[i + 1][side] - run.p[i][side];
            if (before.norm() > 1e-9 && after.norm() > 1e-9)
                run.turn_deg[i] += 0.5 * rad_to_deg(angle_between(before, after));
        }
        // Each branch once.
        std::set<int> taken;
        for (const int ca : branches(a)) {
            int best = -1;
            double far = -1.0;
            for (const int cb : branches(b))
                if (is_alike(ca, cb) && !taken.contains(cb) && common(ca, cb) > far) {
                    far = common(ca, cb);
                    best = cb;
                }
            if (best < 0) continue;
            taken.insert(best);
            ++run.fan[i];
        }
    }
    run.named = (run.named > 0) - (run.named < 0);
    run.strands = 0;
    if (run.node < 0) return;
    const std::vector<int> own = this->run(run.joints.front()[0]);
    for (const int c : ways(run.node)) {
        if (c == run.joints.front()[0] || c == run.joints.front()[1]) continue;
        const std::vector<int> other = this->run(c);
        bool is_alike_all = other.size() == own.size() && own.size() >= 2;
        for (size_t i = 1; is_alike_all && i < own.size(); ++i)
            is_alike_all = std::abs(bone(other[i]) - bone(own[i])) < 0.04 * std::max(bone(own[i]), 1e-12);
        run.strands += is_alike_all;
    }
}

void TreeShape::grow(PairRun run, std::vector<PairRun>& all, int& budget) const {
    const auto [a, b] = run.joints.back();
    struct Way {
        double far;
        int a, b;
    };
    std::vector<Way> onward_ways;
    for (const int ca : branches(a)) {
        Way best{-1.0, -1, -1};
        for (const int cb : branches(b)) {
            if (!is_alike(ca, cb)) continue;
            const double far = 0.5 * (bone(ca) + bone(cb)) + common(ca, cb);
            if (far > best.far + 1e-12) best = {far, ca, cb};
        }
        if (best.a >= 0) onward_ways.push_back(best);
    }
    if (onward_ways.empty()) {
        measure(run);
        all.push_back(std::move(run));
        return;
    }
    std::stable_sort(onward_ways.begin(), onward_ways.end(),
                     [](const Way& x, const Way& y) { return x.far > y.far; });
    for (size_t i = 0; i < onward_ways.size(); ++i) {
        const Way& way = onward_ways[i];
        // Fingers of a hand are no limbs of their own.
        if (i > 0 && (way.far < 0.3 * (run.total + onward_ways[0].far) || budget <= 0)) break;
        if (i > 0) --budget;
        PairRun on = run;
        on.total += 0.5 * (bone(way.a) + bone(way.b));
        on.joints.push_back({way.a, way.b});
        grow(std::move(on), all, budget);
    }
}

std::vector<PairRun> TreeShape::pair_runs(int root) const {
    std::vector<PairRun> all;
    for (int j = 0; j < s_.size(); ++j) {
        if (!is_within(root, j)) continue;
        const auto& own = branches(j);
        for (size_t a = 0; a < own.size(); ++a)
            for (size_t b = a + 1; b < own.size(); ++b) {
                if (!is_alike(own[a], own[b])) continue;
                if (common(own[a], own[b]) + bone(own[a]) < 0.1 * extent_) continue;
                PairRun run;
                run.node = j;
                run.joints.push_back({own[a], own[b]});
                int budget = 4;
                grow(std::move(run), all, budget);
            }
        if (all.size() > 4000) break;
    }
    return all;
}

PairRun TreeShape::single(const std::vector<int>& joints) const {
    PairRun run;
    run.node = parent(joints.front());
    for (const int j : joints) run.joints.push_back({j, j});
    measure(run);
    return run;
}

}  // namespace nb
