// Proposals for how chains are driven, from the evidence one trusts. They stand as settings that nobody has
// confirmed, and can be withdrawn as such.
#pragma once
#include "core/chain/match.hpp"

namespace nb {

/// What a proposal may be taken from.
struct ProposeFrom {
    bool names = true;   ///< roles of the same name are matched
    bool place = true;   ///< ends at the same share of the length; a missing chain's neighbour drives it
    bool counts = true;  ///< ends at the same share of the number of bones
};

/// Ends of a run that lie this close, as a share of its length, count as the same place.
inline constexpr double same_place_share = 0.08;

/// Settings to put in, by chain, `is_proposed`; of runs alone, limbs match role by role.
/// - A chain of unlike counts: ticks where `from` says so, names before places before counts, rising.
/// - A chain the source lacks: the run of the source that starts nearest in the stance, on the same side, of
///   fingers a finger (place).
/// Ticks and drivers that stand in `set` by hand stay; with `only_empty` earlier proposals stay, too.
ChainTable propose_chains(const Character& source, const Character& target, const ChainTable& set,
                          const ProposeFrom& from, bool only_empty);

/// Puts proposals into a table, beside what else is set for their chains.
void put_proposals(ChainTable& table, const ChainTable& proposals);
/// Takes out of a table what nobody has confirmed; number of chains.
int withdraw_proposals(ChainTable& table);

}  // namespace nb
