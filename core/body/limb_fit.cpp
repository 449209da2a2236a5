#include "core/body/limb_fit.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace nb {

double log_off(double ratio, double expected, double spread, double most) {
    return ratio > 1e-9 ? std::min(most, std::abs(std::log(ratio / expected)) / spread) : most;
}

double limb_length(const PairRun& run, const LimbFit& fit) {
    const size_t end = fit.at[2] >= 0 ? size_t(fit.at[2]) : run.length.size();
    return std::accumulate(run.length.begin() + fit.at[0], run.length.begin() + std::ptrdiff_t(end), 0.0);
}

int GivenRoles::side_of(int joint) const {
    for (const auto& [role, given] : given_)
        if (given == joint)
            return role_side(role) == Side::left ? 1 : role_side(role) == Side::right ? -1 : 0;
    return 0;
}

double GivenRoles::cost(std::string_view part, int joint) const {
    double cost = 0.0;
    for (const auto& [role, given] : given_) {
        if (role_part(role) == part && given == joint) return -8.0;
        if (given == joint) cost += 8.0;
    }
    return cost;
}

double LimbFitter::part_cost(const PairRun& run, int part, std::string_view name, size_t i) const {
    double sum = 0.0;
    for (const int j : run.joints[i]) {
        sum += 0.5 * names_.cost(part, j);
        if (!given_.is_empty()) sum += given_.cost(name, j);
    }
    return sum;
}

/// Joints between two places: pieces of one bone when they lie straight. `short_end`: the share of the whole
/// below which a last piece is no piece but a doubled joint.
double LimbFitter::pieces_cost(const PairRun& run, int from, int to, double short_end) const {
    if (to - from <= 1) return 0.0;
    double whole = std::accumulate(run.length.begin() + from, run.length.begin() + to, 0.0);
    double cost = 0.0;
    // A second ankle, a doubled knee or elbow: one short piece at the end, bent or not.
    if (run.length[size_t(to) - 1] < short_end * whole) {
        cost += 0.45;
        whole -= run.length[size_t(to) - 1];
        if (--to - from <= 1) return cost;
    }
    for (int k = from + 1; k < to; ++k) {
        const double turn = run.turn_deg[size_t(k)];
        const double piece = run.length[size_t(k)];
        // What lies within a hundredth of the bone's end is a double of the joint.
        if (piece < 0.01 * whole || run.length[size_t(k) - 1] < 0.01 * whole) {
            cost += 0.3;
            continue;
        }
        cost +=
            turn < 2.0 ? 0.25 : 0.25 + 0.09 * std::min(turn - 2.0, 12.0) + 0.01 * std::max(0.0, turn - 14.0);
        for (const int j : run.joints[size_t(k)])
            if (const JointMotion* moves = tree_.motion(j))
                cost += moves->range_rad < deg_to_rad(1.5)
                            ? -0.15
                            : 0.35 * std::min(2.0, moves->range_rad / 0.5) * (0.3 + moves->hinge);
    }
    for (int k = from; k < to; ++k) {
        const double share = run.length[size_t(k)] / std::max(1e-12, whole) * double(to - from);
        cost += 0.35 * log_off(share, 1.0, 0.35, 3.0);
    }
    return cost;
}

double LimbFitter::start_cost(const PairRun& run, LimbKind kind, int start, double limb, double upper) const {
    const double before = std::accumulate(run.length.begin(), run.length.begin() + start, 0.0);
    const double half = 0.5 * (run.p[size_t(start)][0] - run.p[size_t(start)][1]).norm();
    if (is_leg_kind(kind)) {
        // A thigh starts beside the middle, and what leads to it is short.
        // What leads to it is short, or lies across: half of a pelvis.
        const Vec3 across = run.p[size_t(start)][0] - run.p[size_t(start)][1];
        const Vec3 way = run.p[size_t(start)][0] - run.p[0][0];
        const bool lies_across = across.norm() > 1e-9 && way.norm() > 1e-9 &&
                                 std::abs(across.dot(way)) > 0.75 * across.norm() * way.norm();
        double cost = (lies_across ? 0.5 : 1.6) * before / limb + 0.25 * start;
        // Both halves of a pelvis may start at one point, two thighs never do; and what lies across is none.
        if (half < 0.02 * limb) cost += 2.5;
        if (start + 1 < int(run.p.size())) {
            const auto& here = run.p[size_t(start)];
            const auto& next = run.p[size_t(start) + 1];
            const Vec3 side = next[0] - next[1];
            const Vec3 bone = next[0] - here[0];
            if (side.norm() > 1e-9 && bone.norm() > 1e-9 && run.length[size_t(start)] < 0.5 * limb)
                cost += 6.0 * std::max(0.0, std::abs(bone.dot(side)) / (bone.norm() * side.norm()) - 0.75);
        }
        if (start > 0 && before / limb > 0.35 && !lies_across) cost += 1.0;
        return cost;
    }
    static const int clavicle = part_index("clavicle");
    double cost = 0.0;
    if (kind == LimbKind::fore) {
        cost += start == 0 ? 0.3 : 0.3 * log_off(before / upper, 0.75, 0.7) + 0.4 * (start - 1);
    } else {
        // A collarbone is about half an upper arm; none at all is rare but there.
        cost += start == 0 ? 0.5 : 0.35 * log_off(before / upper, 0.5, 0.5) + 0.5 * (start - 1);
        // A shoulder stands aside of the middle by a third of the arm; what starts near the middle is none.
        cost += 0.7 * std::max(0.0, log_off(half / limb, 0.38, 0.5) - 0.6);
        if (start > 0) {
            const double inner = 0.5 * (run.p[0][0] - run.p[0][1]).norm();
            cost += std::max(0.0, inner / std::max(1e-9, half) - 0.55) * 2.0;
        }
    }
    for (int k = 0; k < start; ++k)
        cost += 0.7 * part_cost(run, clavicle, "clavicle", size_t(k)) / double(start);
    return cost;
}

double LimbFitter::end_cost(const PairRun& run, LimbKind kind, int mid, int end, double limb, double ratio,
                            double after) const {
    const double turn = run.turn_deg[size_t(end)];
    const int last = int(run.joints.size()) - 1;
    double cost = 0.0;
    if (is_leg_kind(kind)) {
        cost += after > 1e-9 ? 0.35 * log_off(after / limb, kind == LimbKind::leg ? 0.26 : 0.45, 0.6) : 0.25;
        // A foot turns ahead of the shin.
        if (after > 1e-9 && turn < 25.0) cost += 0.9 * (1.0 - turn / 25.0);
        // A limb that turns sharply and then ends is a leg and its foot, not a thigh and a shin.
        if (after < 1e-9 && run.turn_deg[size_t(mid)] > 45.0)
            cost += 1.2 * std::clamp((1.0 - ratio) / 0.4 + (run.turn_deg[size_t(mid)] < 110.0 ? 0.4 : 0.0),
                                     0.0, 1.0);
        // A shin that goes on straight from the thigh and then folds back is the thigh's own piece.
        if (run.turn_deg[size_t(mid)] < 1.5 && turn > 100.0) cost += 1.0;
        cost += 0.15 * std::max(0, last - end - 2);
        for (int k = end; k <= std::min(last, end + 1); ++k) cost += run.fan[size_t(k)] >= 3 ? 0.25 : 0.0;
        static const int toe = part_index("toe");
        if (end < last) cost += 0.4 * part_cost(run, toe, "toe", size_t(end) + 1);
        return cost;
    }
    if (kind == LimbKind::fore) {
        cost += after > 1e-9 ? 0.3 * log_off(after / limb, 0.35, 0.6) : 0.25;
        return cost + 0.2 * std::max(0, last - end - 2);
    }
    // The joint where the fingers part is the wrist, or a palm just beyond it.
    int fan = -1;
    for (int k = 1; k <= last && fan < 0; ++k)
        if (run.fan[size_t(k)] >= 2) fan = k;
    if (fan >= 0) {
        const double to_fan =
            end < fan ? std::accumulate(run.length.begin() + end, run.length.begin() + fan, 0.0) : 0.0;
        cost += end == fan ? 0.0 : end < fan && to_fan < 0.3 * limb ? 0.35 + 2.0 * to_fan / limb : 2.5;
        for (int k = end + 1; k < fan; ++k) cost += 0.3;
    } else {
        cost += after > 1e-9 ? 0.35 * log_off(after / limb, 0.28, 0.6) : 0.3;
        cost += 0.2 * std::max(0, last - end - 3);
    }
    if (after > 1e-9 && turn > 70.0) cost += 0.4;
    return cost;
}

double LimbFitter::cost_of(const PairRun& run, LimbKind kind, LimbFit& fit) const {
    const auto [a, b, c] = fit.at;
    const auto sum = [&](int from, int to) {
        return std::accumulate(run.length.begin() + from, run.length.begin() + to, 0.0);
    };
    const bool is_leg = is_leg_kind(kind);
    const auto& parts = limb_parts[is_leg ? 0 : 1];
    const int last = int(run.joints.size()) - 1;
    static const std::array<std::array<int, 3>, 2> indices{
        {{part_index("thigh"), part_index("shin"), part_index("foot")},
         {part_index("upperarm"), part_index("forearm"), part_index("hand")}}};
    const auto& index = indices[is_leg ? 0 : 1];
    double cost = 0.0;
    for (size_t k = 0; k < 3; ++k) {
        if (fit.at[k] < 0) continue;
        const auto i = size_t(fit.at[k]);
        cost += part_cost(run, index[k], parts[k], i);
        for (const int j : run.joints[i])
            if (tree_.is_bare(j)) cost += k < 2 ? 0.5 : 0.3;
    }
    const double whole = run.total;
    if (b < 0) {
        // One bone, no knee and no hand: nothing else is left on the run.
        const double limb = sum(a, last + 1);
        return limb < 1e-9 || kind == LimbKind::hind || kind == LimbKind::fore
                   ? 1e9
                   : cost + 4.0 + 1.2 * (last - a) + start_cost(run, kind, a, limb, limb);
    }
    const double upper = sum(a, b);
    if (c < 0) {
        const double lower = sum(b, last + 1);
        if (upper < 1e-9 || lower < 1e-9) return 1e9;
        return cost + 3.0 + 1.0 * (last - b) + log_off(upper / lower, is_leg ? 1.0 : 1.1, 0.4) +
               start_cost(run, kind, a, upper + lower, upper) + pieces_cost(run, a, b, 0.12);
    }
    const double lower = sum(b, c);
    const double after = sum(c, last + 1);
    if (upper < 1e-9 || lower < 1e-9) return 1e9;
    const double limb = upper + lower;
    double ratio = is_leg ? 1.0 : 1.24;
    double spread = 0.27;
    if (kind == LimbKind::hind) ratio = 0.95;
    if (kind == LimbKind::fore) ratio = 0.8;
    if (kind == LimbKind::hind || kind == LimbKind::fore) spread = 0.35;
    cost += log_off(upper / lower, ratio, spread) + 2.0 * std::max(0.0, 1.0 - limb / whole - 0.3);
    cost += pieces_cost(run, a, b, 0.12) + pieces_cost(run, b, c, is_leg ? 0.2 : 0.0);
    fit.upper_pieces = b - a;
    fit.lower_pieces = c - b;
    if (is_leg && c - b > 1 && run.length[size_t(c) - 1] < 0.2 * lower) --fit.lower_pieces;
    if (b - a > 1 && run.length[size_t(b) - 1] < 0.12 * upper) --fit.upper_pieces;
    // The short piece of a doubled knee or elbow belongs to the upper bone.
    if (c - b > 1 && run.length[size_t(b)] < 0.12 * limb) cost += 0.5;
    if (fit.upper_pieces != fit.lower_pieces) {
        // One small piece more is a second ankle or a doubled knee.
        bool is_small = false;
        for (int k = b; k < c; ++k) is_small |= run.length[size_t(k)] < 0.2 * lower;
        cost += is_small ? 0.35 : 0.5;
    }
    // A limb bends at its middle: when it does so, plainly, that is it.
    cost -= std::min(0.35, run.turn_deg[size_t(b)] / 40.0);
    for (const int j : run.joints[size_t(b)])
        if (const JointMotion* moves = tree_.motion(j))
            cost += moves->range_rad < deg_to_rad(1.5)
                        ? 0.35
                        : -0.3 * moves->hinge * std::min(1.0, moves->range_rad / 0.5);
    for (const int j : run.joints[size_t(c)])
        if (const JointMotion* moves = tree_.motion(j))
            cost += moves->range_rad < deg_to_rad(1.5) ? 0.3 : -0.1;
    for (const int j : run.joints[size_t(a)])
        if (const JointMotion* moves = tree_.motion(j))
            cost += moves->range_rad < deg_to_rad(1.5) ? 0.3 : 0.15 * moves->hinge;
    return cost + start_cost(run, kind, a, limb, upper) +
           end_cost(run, kind, b, c, limb, lower / upper, after);
}

std::vector<LimbFit> LimbFitter::fit(const PairRun& run, LimbKind kind, size_t most) const {
    std::vector<LimbFit> all;
    const int n = std::min(int(run.joints.size()), 16);
    const auto consider = [&](int a, int b, int c) {
        LimbFit fit;
        fit.at = {a, b, c};
        fit.cost = cost_of(run, kind, fit);
        if (fit.cost < 1e8) all.push_back(fit);
    };
    for (int a = 0; a < std::min(n, 5); ++a) {
        consider(a, -1, -1);
        for (int b = a + 1; b < n; ++b) {
            if (b + 1 >= n) consider(a, b, -1);
            for (int c = b + 1; c < n; ++c) consider(a, b, c);
        }
    }
    std::stable_sort(all.begin(), all.end(),
                     [](const LimbFit& x, const LimbFit& y) { return x.cost < y.cost; });
    if (all.size() > most) all.resize(most);
    return all;
}

}  // namespace nb
