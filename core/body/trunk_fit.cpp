#include "core/body/trunk_fit.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

namespace {

class Trunk {
  public:
    Trunk(const TreeShape& tree, const NameTable& names, const GivenRoles& given, const BodyLimbs& limbs)
        : tree_(tree), names_(names), given_(given), limbs_(limbs) {
        U_ = limbs.trunk();
        side_ = limbs.legs->p[size_t(limbs.leg.at[0])][0] - limbs.legs->p[size_t(limbs.leg.at[0])][1];
        const Vec3 arms =
            limbs.arms->p[size_t(limbs.arm.at[0])][0] - limbs.arms->p[size_t(limbs.arm.at[0])][1];
        side_ += side_.dot(arms) < 0 ? Vec3(-arms) : arms;
        half_ = 0.5 * side_.norm();
        if (half_ > 1e-9) side_.normalize();
    }

    TrunkFit fit() {
        TrunkFit best;
        if (U_.norm() < 1e-9) return best;
        const int L = limbs_.legs->node;
        const int A = limbs_.arms->node;
        const int meet = tree_.skeleton().common_ancestor(L, A);
        if (meet < 0) return best;
        find_hips(L, A, meet, best);
        line_ = trunk_line(best.hips, A);
        find_head(best, A, meet);
        best.cost = hips_cost_ + head_cost_;
        return best;
    }

  private:
    const TreeShape& tree_;
    const NameTable& names_;
    const GivenRoles& given_;
    const BodyLimbs& limbs_;
    Vec3 U_ = Vec3::Zero(), side_ = Vec3::Zero();
    double half_ = 0.0;
    double hips_cost_ = 0.0, head_cost_ = 3.0;
    std::vector<int> line_;  ///< from the hips (not among them) to where the arms part

    /// Along the line from the hip centre to the shoulders: 0 there, 1 here.
    double height(const Vec3& p) const { return (p - limbs_.hip_centre).dot(U_) / U_.squaredNorm(); }
    double height(int j) const { return height(tree_.at(j)); }
    double aside(int j) const {
        return std::abs((tree_.at(j) - limbs_.hip_centre).dot(side_)) / std::max(1e-9, half_);
    }
    double said(std::string_view part, int j) const {
        double cost = names_.cost(part_index(part), j);
        if (!given_.is_empty()) cost += given_.cost(part, j);
        return cost;
    }
    /// Ways that are more than a mark on the bone.
    std::vector<int> large_ways(int j) const {
        std::vector<int> ways = tree_.ways(j);
        std::erase_if(ways, [&](int w) { return tree_.bone(w) + tree_.reach(w) < 0.05 * U_.norm(); });
        return ways;
    }
    bool is_limb(int j) const {
        for (const PairRun* run : {limbs_.legs, limbs_.arms})
            for (const int first : run->joints[0])
                if (tree_.is_within(first, j)) return true;
        return false;
    }

    void find_hips(int L, int A, int meet, TrunkFit& best) {
        std::vector<std::pair<int, double>> candidates{{meet, 0.0}};
        if (L != meet) {
            // A bone of the pelvis just below the hips, or hips that hang below the first bone of the spine.
            candidates.front().second = std::clamp((height(meet) - 0.07) / 0.08, -0.5, 1.0);
            for (const int j : tree_.skeleton().path(meet, L))
                candidates.emplace_back(j, j == L ? 0.25 : 0.3);
        }
        int steps = 0;
        for (int up = tree_.parent(meet); up >= 0 && ++steps <= 2; up = tree_.parent(up)) {
            const bool carries = tree_.has_skin() && !tree_.is_bare(up);
            candidates.emplace_back(up, carries && steps == 1 ? -0.2 : 1.3 * steps);
        }
        steps = 0;
        for (const int j : tree_.skeleton().path(meet, A)) {
            if (++steps > 2 || j == A) break;
            candidates.emplace_back(j, 0.9 * steps);
        }
        // Hips that stand beside legs and spine on one bone.
        for (const int from : {L, meet})
            for (const int c : tree_.children(from)) {
                const bool is_known = std::any_of(candidates.begin(), candidates.end(),
                                                  [&](const auto& k) { return k.first == c; });
                if (is_known || is_limb(c) || (!tree_.leads_on(c) && !tree_.children(c).empty())) continue;
                if ((tree_.at(c) - limbs_.hip_centre).norm() < 0.25 * U_.norm() &&
                    (tree_.bone(c) > 0.3 * U_.norm() || names_.cost(part_index("hips"), c) < -0.5))
                    candidates.emplace_back(c, 0.5);
            }
        double least = 1e9;
        std::vector<double> costs;
        for (const auto& [j, prior] : candidates) {
            const double away = (tree_.at(j) - limbs_.hip_centre).norm() / U_.norm();
            // Beside the line between the legs there is no pelvis; above and below it may lie anywhere near.
            double cost = prior + 1.3 * std::min(3.0, std::max(0.0, away - 0.08) / 0.4);
            if (tree_.is_bare(j)) cost += 0.7;
            cost += 1.3 * said("hips", j);
            costs.push_back(cost);
            if (cost < least) {
                least = cost;
                best.hips = j;
            }
        }
        double sum = 0.0;
        for (const double cost : costs) sum += std::exp(-sharpness * (cost - least));
        best.hips_sure = 1.0 / sum;
        hips_cost_ = least;
    }

    /// Without what is called a helper.
    std::vector<int> trunk_line(int hips, int A) const {
        std::vector<int> line;
        const int meet = tree_.skeleton().common_ancestor(hips, A);
        if (meet != hips && meet >= 0) line.push_back(meet);
        for (const int j : tree_.skeleton().path(meet, A)) line.push_back(j);
        // Between a floor root and the chest of a tree whose hips stand beside the spine: what is low is
        // none.
        std::erase_if(line, [&](int j) {
            return j == hips || (j != A && (!names_.helper(j).empty() || height(j) < -0.35));
        });
        return line;
    }

    /// `next`: the bone that follows it in the middle, neck or head.
    double chest_cost(int c, int A, int steps_from_A, int next) const {
        static constexpr std::array<double, 3> after{0.0, 1.25, 2.5};
        double cost = steps_from_A < 0 ? 1.15 : after[size_t(std::min(steps_from_A, 2))];
        const double t = height(c);
        if (!limbs_.is_four_legged) {
            if (t < 0.3) cost += (0.3 - t) / 0.25;
            if (t > 1.0) cost += 3.0 * (t - 1.0);
            // What follows below where the arms' bones start is still of the trunk.
            const double start = height(Vec3(0.5 * (limbs_.arms->p[0][0] + limbs_.arms->p[0][1])));
            const double below = limbs_.arm.at[0] > 0 ? 0.08 : 0.2;
            if (next >= 0) cost += 1.7 * std::clamp((start - below - height(next)) / 0.13, 0.0, 1.0);
            // Where the arms part above the bones they start from, they hang on the neck.
            if (c == A) {
                const auto& first = limbs_.arms->p[0];
                const double over = t - height(Vec3(0.5 * (first[0] + first[1])));
                cost += 7.0 * std::clamp(over - 0.08, 0.0, 0.3);
            }
        }
        if (tree_.is_bare(c)) cost += 0.5;
        return cost + 0.8 * said("chest", c);
    }

    double head_cost(int x, const std::vector<int>& neck, int chest) const {
        static constexpr std::array<double, 6> by_count{0.85, 0.0, 0.25, 0.7, 1.4, 3.0};
        double cost = limbs_.is_four_legged ? 0.25 * std::abs(double(neck.size()) - 2.0)
                                            : by_count[std::min<size_t>(neck.size(), 5)];
        const double t = height(x);
        if (t < 1.08) cost += 4.0 * std::min(1.5, 1.08 - t);
        cost += 2.0 * std::max(0.0, aside(x) - 0.15);
        double before = height(chest);
        for (const int j : neck) {
            const double own = height(j);
            cost += own < before - 0.03 ? 0.8 : 0.0;
            cost += 1.5 * std::max(0.0, aside(j) - 0.15);
            if (!limbs_.is_four_legged) cost += 2.0 * std::max(0.0, 0.85 - own);
            before = own;
        }
        if (t < before - 0.03) cost += 1.2;
        const double from_last =
            (tree_.at(x) - tree_.at(neck.empty() ? chest : neck.back())).norm() / U_.norm();
        if (!limbs_.is_four_legged)
            cost +=
                0.3 *
                std::min(3.0,
                         std::abs(std::log(std::max(1e-3, from_last) / (neck.empty() ? 0.5 : 0.16))) / 0.8);
        // What goes on above it makes it a neck; what hangs from it or spreads is hair, face and ears.
        const std::vector<int> ways = large_ways(x);
        double most_on = 0.0;
        for (const int w : ways) {
            const double rise = height(w) - t;
            const bool is_ahead = limbs_.is_four_legged || rise > 0.4 * tree_.bone(w) / U_.norm();
            if (tree_.children(w).empty() && tree_.is_bare(w)) continue;
            const bool is_hanging = !limbs_.is_four_legged && height(tree_.run(w).back()) < height(w) - 0.02;
            if (is_ahead && aside(w) < 0.2 && !is_hanging)
                most_on = std::max(most_on, !large_ways(w).empty() ? 0.8 : ways.size() == 1 ? 0.35 : 0.0);
        }
        cost += most_on;
        if (ways.size() >= 2 && most_on < 0.5) cost -= 0.6;
        // A face hangs on the skull, whatever that is called.
        const auto is_of_face = [&](int c) {
            const std::string& other = names_.other(c);
            return other == "face" || other == "ear" || other == "horn" || names_.best_part(c) == "eye" ||
                   names_.best_part(c) == "jaw";
        };
        const auto& own_children = tree_.children(x);
        const auto face = std::count_if(own_children.begin(), own_children.end(), is_of_face);
        cost -= 0.6 * std::min<double>(double(face), 3.0);
        for (const int j : neck)
            if (large_ways(j).size() >= 3) cost += 0.5;
        Vec3 tip;
        const bool is_leaf = ways.empty();
        if (is_leaf && !tree_.tip_of(x, tip)) cost += 0.3;
        // The last of a chain, long and empty, is the crown.
        if (tree_.children(x).empty() && !tree_.tip_of(x, tip) && !neck.empty() && from_last > 0.28)
            cost += 1.0 + std::min(1.0, 2.0 * (from_last - 0.28));
        if (tree_.has_skin()) {
            if (tree_.is_bare(x)) cost += 2.6;
            double most = tree_.skin(x)->spread;
            const double own = most;
            for (const int j : neck) most = std::max(most, tree_.skin(j)->spread);
            for (const int w : ways) most = std::max(most, height(w) > t ? tree_.skin(w)->spread : 0.0);
            if (most > 1e-9) cost += 1.0 * (1.0 - own / most);
        }
        cost += 1.5 * said("head", x);
        for (const int j : neck) cost += 0.7 * said("neck", j) + (tree_.is_bare(j) ? 0.3 : 0.0);
        return cost;
    }

    void find_head(TrunkFit& best, int A, int meet) {
        struct Choice {
            double cost;
            int chest, head;
            std::vector<int> neck;
            int chest_step;
        };
        std::vector<Choice> choices;
        std::vector<int> candidates;
        for (int x = 0; x < tree_.skeleton().size(); ++x) {
            if (x == best.hips || x == A || !tree_.is_within(meet, x)) continue;
            if (std::find(line_.begin(), line_.end(), x) != line_.end()) continue;
            if (is_limb(x)) continue;
            const bool is_named = names_.cost(part_index("head"), x) < -0.5;
            if (!tree_.leads_on(x) && !is_named) continue;
            if (tree_.is_side(x) && !is_named) continue;
            if (height(x) < 0.5 && !is_named) continue;
            candidates.push_back(x);
            if (candidates.size() > 150) break;
        }
        for (const int x : candidates) {
            int q = x;
            while (q >= 0 && q != best.hips && std::find(line_.begin(), line_.end(), q) == line_.end())
                q = tree_.parent(q);
            if (q < 0) continue;
            double cost_of_place = 0.0;
            if (q == best.hips)
                cost_of_place = A == best.hips ? 0.0 : 3.0;
            else if (q != A)
                cost_of_place = 1.0;
            std::vector<int> on = tree_.skeleton().path(q, x);
            on.pop_back();
            std::erase_if(on, [&](int j) { return !names_.helper(j).empty(); });
            if (on.size() > 7) continue;
            const auto at_q = std::find(line_.begin(), line_.end(), q);
            // The chest: where the arms part, a bone before it, or one or two after it.
            std::vector<std::pair<int, int>> chests;
            if (at_q != line_.end()) {
                chests.emplace_back(q, q == A ? 0 : 1);
                if (at_q != line_.begin()) chests.emplace_back(*(at_q - 1), -1);
            } else {
                chests.emplace_back(-1, 0);
            }
            for (size_t k = 0; k < std::min<size_t>(on.size(), 2); ++k)
                chests.emplace_back(on[k], int(k) + 1);
            for (const auto& [c, step] : chests) {
                Choice choice;
                choice.chest = c;
                choice.head = x;
                choice.chest_step = step;
                choice.neck = on;
                if (step > 0 && c != q) choice.neck.erase(choice.neck.begin(), choice.neck.begin() + step);
                if (step < 0) choice.neck.insert(choice.neck.begin(), q);
                choice.cost =
                    cost_of_place +
                    (c < 0 ? 1.5 : chest_cost(c, A, step, choice.neck.empty() ? x : choice.neck.front())) +
                    head_cost(x, choice.neck, c < 0 ? best.hips : c);
                choices.push_back(choice);
            }
        }
        if (choices.empty()) {
            // A trunk without a head.
            head_cost_ = 3.5;
            if (!line_.empty()) best.chest = line_.back();
            best.spine.assign(line_.begin(), line_.end() - (line_.empty() ? 0 : 1));
            best.chest_sure = 0.7;
            return;
        }
        const Choice& least = *std::min_element(
            choices.begin(), choices.end(), [](const Choice& a, const Choice& b) { return a.cost < b.cost; });
        head_cost_ = least.cost;
        best.head = least.head;
        best.chest = least.chest;
        best.neck = least.neck;
        best.do_arms_part_at_chest = least.chest == A;
        double sum = 0.0, same_head = 0.0, same_chest = 0.0;
        for (const Choice& c : choices) {
            const double w = std::exp(-sharpness * (c.cost - least.cost));
            sum += w;
            if (c.head == least.head) same_head += w;
            if (c.chest == least.chest) same_chest += w;
        }
        double head_rival = 0.2 * sum, chest_rival = 0.2 * sum;
        for (const Choice& c : choices) {
            const double w = std::exp(-sharpness * (c.cost - least.cost));
            if (c.head != least.head && w > head_rival) {
                head_rival = w;
                best.head_rival = c.head;
            }
            if (c.chest != least.chest && c.chest >= 0 && w > chest_rival) {
                chest_rival = w;
                best.chest_rival = c.chest;
            }
        }
        best.head_sure = same_head / sum;
        best.chest_sure = same_chest / sum;
        for (const int j : line_) {
            if (j == best.chest || std::find(best.neck.begin(), best.neck.end(), j) != best.neck.end()) break;
            best.spine.push_back(j);
        }
        if (best.chest >= 0 && std::find(line_.begin(), line_.end(), best.chest) == line_.end())
            for (const int j : tree_.skeleton().path(A, best.chest))
                if (j != best.chest && names_.helper(j).empty()) best.spine.push_back(j);
    }
};

}  // namespace

TrunkFit fit_trunk(const TreeShape& tree, const NameTable& names, const GivenRoles& given,
                   const BodyLimbs& limbs) {
    return Trunk(tree, names, given, limbs).fit();
}

}  // namespace nb
