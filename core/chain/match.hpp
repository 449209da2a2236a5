// Matching of chains: which bones of the source drive which bones of the target.
//
// The world rotation since the aligned rest, Q, is a curve over the source chain's normalised length. Its
// knots stand at bone ends: Q at 0 is the parent role's, at s_i bone i's. Ticks (matched ends) split it;
// between ticks length maps linearly, and a target bone takes Q at its own end. Equal counts match bone by
// bone. A bone of no length adds no knot; its rotation is part of the next. Limbs match role by role.
#pragma once
#include <map>
#include <set>
#include <string>
#include <vector>

#include "core/rest/character.hpp"

namespace nb {

/// Q of a target bone = the point u of the way from Q of source `a` to Q of source `b`. Indices count the
/// source chain's bones; -1 stands for the parent role.
struct ChainSample {
    int a = -1;
    int b = -1;
    double u = 0.0;
};

/// Ends of a source bone and a target bone that are matched, as indices.
using ChainTick = std::pair<int, int>;

/// Where each bone ends, as a share of the whole length; the last at 1. All at 1 when there is no length.
std::vector<double> chain_ends(const std::vector<double>& lengths_m);

/// Lengths in metres, from the body outward, one a bone. One sample a target bone. With no source bones
/// every sample is the parent's. Ticks rise in both; equal counts without ticks match bone by bone.
std::vector<ChainSample> match_chain(const std::vector<double>& source_lengths_m,
                                     const std::vector<double>& target_lengths_m,
                                     const std::vector<ChainTick>& ticks = {});

/// A chain of the target with what drives it.
struct MatchedChain {
    std::string name;         ///< of the target's chain
    std::string source_name;  ///< of the source's
    bool is_limb = false;
    bool is_left_out = false;
    std::vector<int> S_joints, T_joints;  ///< from the body outward
    std::vector<double> S_lengths_m, T_lengths_m;
    int S_parent = -1;                 ///< joint of the role the source's chain hangs on
    std::vector<ChainTick> ticks;      ///< all matched ends, the last ones included; by hand or by role
    std::vector<ChainSample> samples;  ///< a target bone; empty when nothing drives it

    double S_length_m() const;
    double T_length_m() const;
};

/// All chains of the target's plan that have bones in it; the source's are those of its own plan. Heads and
/// palms, which match by role alone, are limbs of one bone; of runs those between the roles that are set.
/// `settings`: those in force.
std::vector<MatchedChain> match_chains(const Character& source, const Character& target,
                                       const ChainTable& settings);

/// A setting of a chain that does nothing, because it names a role the body does not have.
struct IdleSetting {
    std::string chain;
    std::string what;  ///< in words: "spine.1 on spine.2", "starts at spine.4"
};
std::vector<IdleSetting> idle_settings(const Character& source, const Character& target,
                                       const ChainTable& settings);
/// Chains that wait for a person: proposals nobody has confirmed, settings that do nothing. What a body simply
/// lacks is told by the forecast; nobody can settle it.
std::set<std::string> open_chains(const Character& source, const Character& target,
                                  const ChainTable& settings);

}  // namespace nb
