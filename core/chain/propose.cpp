#include "core/chain/propose.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"

namespace nb {

namespace {

class Proposer {
  public:
    Proposer(const Character& source, const Character& target, const ProposeFrom& from)
        : S_(source), T_(target), from_(from) {}

    ChainSettings ticks(const MatchedChain& chain) const {
        std::vector<ChainTick> found;
        const int S_count = int(chain.S_joints.size());
        const int T_count = int(chain.T_joints.size());
        const auto add = [&](int s, int t) {
            // Rising on both sides; the last ends are matched anyway.
            if (s + 1 >= S_count || t + 1 >= T_count) return;
            for (const ChainTick& other : found)
                if (other.first == s || other.second == t || (other.first < s) != (other.second < t)) return;
            found.emplace_back(s, t);
        };
        if (from_.names)
            for (int t = 0; t < T_count; ++t)
                for (int s = 0; s < S_count; ++s)
                    if (S_role(chain, s) == T_role(chain, t)) add(s, t);
        const std::vector<double> S_ends = chain_ends(chain.S_lengths_m);
        const std::vector<double> T_ends = chain_ends(chain.T_lengths_m);
        if (from_.place)
            for (int t = 0; t < T_count; ++t) {
                int nearest = 0;
                for (int s = 1; s < S_count; ++s)
                    if (std::abs(S_ends[size_t(s)] - T_ends[size_t(t)]) <
                        std::abs(S_ends[size_t(nearest)] - T_ends[size_t(t)]))
                        nearest = s;
                if (std::abs(S_ends[size_t(nearest)] - T_ends[size_t(t)]) < same_place_share) add(nearest, t);
            }
        if (from_.counts)
            for (int t = 0; t < T_count; ++t) {
                const double s = double(t + 1) * S_count / T_count - 1.0;
                if (std::abs(s - std::round(s)) < 1e-9 && s > -0.5) add(int(std::lround(s)), t);
            }
        ChainSettings set;
        if (found.empty()) return set;
        std::sort(found.begin(), found.end());
        set.ticks.emplace();
        for (const auto& [s, t] : found) set.ticks->emplace_back(S_role(chain, s), T_role(chain, t));
        return set;
    }

    ChainSettings driver(const MatchedChain& chain) const {
        ChainSettings set;
        if (!from_.place) return set;
        const bool is_finger = is_finger_role(T_role(chain, 0));
        const double k = leg_length(T_.rig.skeleton, T_.roles) / leg_length(S_.rig.skeleton, S_.roles);
        const Vec3& start = T_.rest.p_WJ0[size_t(chain.T_joints.front())];
        double least = 1e30;
        for (const ChainPlan& other : body_plan(S_.roles.plan).chains) {
            const std::vector<int> joints = S_.roles.chain(other);
            if (other.is_limb || joints.empty() || role_side(other.name) != role_side(chain.name) ||
                is_finger_role(S_.roles.role_of(joints.front())) != is_finger)
                continue;
            const double off = (k * S_.rest.p_WJ0[size_t(joints.front())] - start).norm();
            if (off >= least) continue;
            least = off;
            set.driven_by = other.name;
        }
        return set;
    }

  private:
    const Character& S_;
    const Character& T_;
    const ProposeFrom& from_;
    std::string S_role(const MatchedChain& chain, int bone) const {
        return S_.roles.role_of(chain.S_joints[size_t(bone)]);
    }
    std::string T_role(const MatchedChain& chain, int bone) const {
        return T_.roles.role_of(chain.T_joints[size_t(bone)]);
    }
};

}  // namespace

ChainTable propose_chains(const Character& source, const Character& target, const ChainTable& already,
                          const ProposeFrom& from, bool only_empty) {
    ChainTable proposals;
    const Proposer proposer(source, target, from);
    for (const MatchedChain& chain : match_chains(source, target, {})) {
        const ChainSettings& now = settings_of(already, chain.name);
        if (chain.is_limb || now.is_left_out.value_or(false)) continue;
        if ((now.driven_by || now.ticks) && (only_empty || !now.is_proposed)) continue;
        ChainSettings set;
        if (chain.S_joints.empty())
            set = proposer.driver(chain);
        else if (chain.S_joints.size() != chain.T_joints.size())
            set = proposer.ticks(chain);
        if (set.is_empty()) continue;
        set.is_proposed = true;
        proposals[chain.name] = set;
    }
    return proposals;
}

void put_proposals(ChainTable& table, const ChainTable& proposals) {
    for (const auto& [chain, proposal] : proposals) {
        ChainSettings& set = table[chain];
        set.ticks = proposal.ticks;
        set.driven_by = proposal.driven_by;
        set.is_proposed = true;
    }
}

int withdraw_proposals(ChainTable& table) {
    int count = 0;
    for (auto it = table.begin(); it != table.end();) {
        ChainSettings& set = it->second;
        if (set.is_proposed) {
            ++count;
            set.ticks.reset();
            set.driven_by.reset();
            set.is_proposed = false;
        }
        it = set.is_empty() ? table.erase(it) : std::next(it);
    }
    return count;
}

}  // namespace nb
