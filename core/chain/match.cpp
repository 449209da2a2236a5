#include "core/chain/match.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstddef>
#include <numeric>

namespace nb {

namespace {
constexpr double no_length_m = 1e-6;

struct Knot {
    double s;
    int bone;
};

/// Where the source's bones end, over its normalised length, with the parent at 0.
std::vector<Knot> knots_of(const std::vector<double>& lengths) {
    const double whole = std::accumulate(lengths.begin(), lengths.end(), 0.0);
    std::vector<Knot> knots{{0.0, -1}};
    double length = 0.0;
    const int last = int(lengths.size()) - 1;
    for (int i = 0; i <= last; ++i) {
        length += lengths[size_t(i)];
        if (lengths[size_t(i)] > no_length_m)
            knots.push_back({whole > no_length_m ? length / whole : 1.0, i});
        else if (i == last) {
            // The last bone carries what follows: its rotation ends the curve even without length.
            if (knots.size() > 1)
                knots.back().bone = i;
            else
                knots.push_back({1.0, i});
        }
    }
    knots.back().s = 1.0;
    return knots;
}

ChainSample sample_at(const std::vector<Knot>& knots, double s) {
    size_t k = 1;
    while (k + 1 < knots.size() && knots[k].s < s) ++k;
    const double from = knots[k - 1].s;
    const double u = knots[k].s > from ? (s - from) / (knots[k].s - from) : 1.0;
    if (u >= 1.0 - 1e-12) return {knots[k].bone, knots[k].bone, 0.0};
    if (u <= 1e-12) return {knots[k - 1].bone, knots[k - 1].bone, 0.0};
    return {knots[k - 1].bone, knots[k].bone, u};
}

}  // namespace

std::vector<double> chain_ends(const std::vector<double>& lengths) {
    const double whole = std::accumulate(lengths.begin(), lengths.end(), 0.0);
    std::vector<double> ends;
    ends.reserve(lengths.size());
    double end = 0.0;
    for (const double length : lengths) {
        end += length;
        ends.push_back(whole > no_length_m ? end / whole : 1.0);
    }
    if (!ends.empty()) ends.back() = 1.0;
    return ends;
}

std::vector<ChainSample> match_chain(const std::vector<double>& source, const std::vector<double>& target,
                                     const std::vector<ChainTick>& ticks) {
    std::vector<ChainSample> samples(target.size());
    if (source.empty()) return samples;
    if (ticks.empty() && source.size() == target.size()) {
        for (size_t i = 0; i < target.size(); ++i) samples[i] = {int(i), int(i), 0.0};
        return samples;
    }
    const std::vector<Knot> knots = knots_of(source);
    const std::vector<double> S_ends = chain_ends(source);
    const std::vector<double> T_ends = chain_ends(target);
    // Stretches between ticks: from here to there on both.
    double S_from = 0.0, T_from = 0.0;
    size_t next = 0;
    for (size_t j = 0; j < target.size(); ++j) {
        while (next < ticks.size() && ticks[next].second < int(j)) {
            S_from = S_ends[size_t(ticks[next].first)];
            T_from = T_ends[size_t(ticks[next].second)];
            ++next;
        }
        if (next < ticks.size() && ticks[next].second == int(j)) {
            const int bone = ticks[next].first;
            samples[j] = {bone, bone, 0.0};
            continue;
        }
        const double S_to = next < ticks.size() ? S_ends[size_t(ticks[next].first)] : 1.0;
        const double T_to = next < ticks.size() ? T_ends[size_t(ticks[next].second)] : 1.0;
        const double share = T_to > T_from + 1e-12 ? (T_ends[j] - T_from) / (T_to - T_from) : 1.0;
        samples[j] = sample_at(knots, S_from + share * (S_to - S_from));
    }
    return samples;
}

double MatchedChain::S_length_m() const {
    return std::accumulate(S_lengths_m.begin(), S_lengths_m.end(), 0.0);
}
double MatchedChain::T_length_m() const {
    return std::accumulate(T_lengths_m.begin(), T_lengths_m.end(), 0.0);
}

namespace {

bool matches_by_role(const std::string& role) {
    return role == "head" || role.find(".palm") != std::string::npos;
}

/// From the last spine bone to the middle between the shoulders, from the last neck bone to the head; else to
/// the bone's end.
double last_length(const Character& c, const std::string& chain, int last) {
    const auto& p0 = c.rest.p_WJ0;
    if (chain == "spine") {
        const int left = c.roles.joint("upperarm.left");
        const int right = c.roles.joint("upperarm.right");
        if (left >= 0 && right >= 0)
            return (0.5 * (p0[size_t(left)] + p0[size_t(right)]) - p0[size_t(last)]).norm();
    }
    if (chain == "neck") {
        if (const int head = c.roles.joint("head"); head >= 0) return c.rig.skeleton.path_length(last, head);
    }
    Vec3 end;
    return find_bone_end(c.rig.skeleton, c.roles, c.roles.role_of(last), aligned_pose(c.rest), end)
               ? (end - p0[size_t(last)]).norm()
               : 0.0;
}

std::vector<double> lengths_of(const Character& c, const std::string& chain, const std::vector<int>& joints) {
    std::vector<double> lengths;
    for (size_t i = 0; i + 1 < joints.size(); ++i)
        lengths.push_back(c.rig.skeleton.path_length(joints[i], joints[i + 1]));
    if (!joints.empty()) lengths.push_back(last_length(c, chain, joints.back()));
    return lengths;
}

/// Joints of a chain's roles; those that match by role are told apart.
std::vector<int> run_of(const Character& c, const ChainPlan& chain, bool by_role) {
    std::vector<int> joints;
    for (const std::string& role : chain.roles)
        if (const int joint = c.roles.joint(role);
            joint >= 0 && (chain.is_limb || matches_by_role(role) == by_role))
            joints.push_back(joint);
    return joints;
}

/// What of a run lies from one role to another; words that name none of its bones say nothing.
void cut(const Character& c, const std::optional<std::string>& first, const std::optional<std::string>& last,
         std::vector<int>& joints) {
    const auto at = [&](const std::optional<std::string>& role) {
        const int joint = role ? c.roles.joint(*role) : -1;
        return joint < 0 ? joints.end() : std::find(joints.begin(), joints.end(), joint);
    };
    if (const auto end = at(last); end != joints.end()) joints.erase(end + 1, joints.end());
    if (const auto begin = at(first); begin != joints.end()) joints.erase(joints.begin(), begin);
}

/// Bones of the same role.
void match_by_role(const Character& source, const Character& target, MatchedChain& chain) {
    chain.samples.assign(chain.T_joints.size(), ChainSample());
    for (size_t t = 0; t < chain.T_joints.size(); ++t) {
        const std::string role = target.roles.role_of(chain.T_joints[t]);
        for (size_t s = 0; s < chain.S_joints.size(); ++s)
            if (source.roles.role_of(chain.S_joints[s]) == role) {
                chain.samples[t] = {int(s), int(s), 0.0};
                chain.ticks.emplace_back(int(s), int(t));
            }
    }
}

/// Ticks by hand whose roles are there, in rising order of both.
std::vector<ChainTick> ticks_of(const Character& source, const Character& target, const MatchedChain& chain,
                                const ChainSettings& settings) {
    const auto index = [](const RoleMap& roles, const std::vector<int>& joints, const std::string& role) {
        const int joint = roles.joint(role);
        const auto at = std::find(joints.begin(), joints.end(), joint);
        return joint < 0 || at == joints.end() ? -1 : int(at - joints.begin());
    };
    std::vector<ChainTick> ticks;
    if (!settings.ticks) return {};
    for (const auto& tick : *settings.ticks) {
        const int s = index(source.roles, chain.S_joints, tick.first);
        const int t = index(target.roles, chain.T_joints, tick.second);
        if (s >= 0 && t >= 0) ticks.emplace_back(s, t);
    }
    std::sort(ticks.begin(), ticks.end(),
              [](const ChainTick& a, const ChainTick& b) { return a.second < b.second; });
    std::vector<ChainTick> rising;
    for (const ChainTick& tick : ticks)
        if (rising.empty() || (tick.first > rising.back().first && tick.second > rising.back().second))
            rising.push_back(tick);
    return rising;
}

}  // namespace

std::vector<MatchedChain> match_chains(const Character& source, const Character& target,
                                       const ChainTable& settings) {
    std::vector<MatchedChain> result;
    const BodyPlan& S_plan = body_plan(source.roles.plan);
    for (const ChainPlan& plan : body_plan(target.roles.plan).chains) {
        const ChainSettings& own = settings_of(settings, plan.name);
        const std::string driven_by = own.driven_by.value_or("");
        const ChainPlan* driver = S_plan.chain(plan.name);
        if (const ChainPlan* other = S_plan.chain(driven_by); other && !other->is_limb && !plan.is_limb)
            driver = other;
        if (driver && driver->is_limb != plan.is_limb) driver = nullptr;
        for (const bool by_role : {false, true}) {
            if (plan.is_limb && by_role) continue;
            MatchedChain chain;
            chain.name = plan.name;
            chain.source_name = driver ? driver->name : plan.name;
            chain.is_limb = plan.is_limb || by_role;
            chain.is_left_out = own.is_left_out.value_or(false);
            if (driver) chain.S_joints = run_of(source, *driver, by_role);
            chain.T_joints = run_of(target, plan, by_role);
            if (!chain.is_limb) {
                cut(target, own.first, own.last, chain.T_joints);
                cut(source, own.source_first, own.source_last, chain.S_joints);
            }
            if (chain.T_joints.empty()) continue;
            if (by_role) chain.name = target.roles.role_of(chain.T_joints.front());
            chain.S_lengths_m = lengths_of(source, chain.source_name, chain.S_joints);
            chain.T_lengths_m = lengths_of(target, plan.name, chain.T_joints);
            if (!chain.S_joints.empty()) {
                chain.S_parent = source.roles.joint(
                    source.roles.parent_role(source.roles.role_of(chain.S_joints.front())));
                if (chain.is_limb) {
                    match_by_role(source, target, chain);
                } else {
                    const auto ticks = ticks_of(source, target, chain, own);
                    chain.samples = match_chain(chain.S_lengths_m, chain.T_lengths_m, ticks);
                    chain.ticks = ticks;
                    const bool is_even = ticks.empty() && chain.S_joints.size() == chain.T_joints.size();
                    if (is_even)
                        for (int i = 0; i < int(chain.T_joints.size()); ++i) chain.ticks.emplace_back(i, i);
                    else if (ticks.empty() || ticks.back().second + 1 < int(chain.T_joints.size()))
                        chain.ticks.emplace_back(int(chain.S_joints.size()) - 1,
                                                 int(chain.T_joints.size()) - 1);
                }
            }
            result.push_back(std::move(chain));
        }
    }
    return result;
}

std::vector<IdleSetting> idle_settings(const Character& source, const Character& target,
                                       const ChainTable& settings) {
    std::vector<IdleSetting> idle;
    const auto lacks = [](const Character& body, const std::optional<std::string>& role) {
        return role && !role->empty() && body.roles.joint(*role) < 0;
    };
    for (const auto& [chain, own] : settings) {
        if (own.ticks)
            for (const auto& [from, to] : *own.ticks)
                if (lacks(source, from) || lacks(target, to))
                    idle.push_back({chain, fmt::format("{} on {}", from, to)});
        if (lacks(target, own.first)) idle.push_back({chain, "starts at " + *own.first});
        if (lacks(target, own.last)) idle.push_back({chain, "ends at " + *own.last});
        if (lacks(source, own.source_first))
            idle.push_back({chain, "the source's part starts at " + *own.source_first});
        if (lacks(source, own.source_last))
            idle.push_back({chain, "the source's part ends at " + *own.source_last});
    }
    return idle;
}

std::set<std::string> open_chains(const Character& source, const Character& target,
                                  const ChainTable& settings) {
    std::set<std::string> open;
    for (const auto& [chain, own] : settings)
        if (own.is_proposed) open.insert(chain);
    for (const IdleSetting& idle : idle_settings(source, target, settings)) open.insert(idle.chain);
    return open;
}

}  // namespace nb
