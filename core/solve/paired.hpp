// Two bodies that are to be paired, as the passes compile from them.
#pragma once
#include <string>
#include <vector>

#include "core/chain/match.hpp"
#include "core/rest/character.hpp"
#include "core/solve/settings.hpp"

namespace nb {

struct PairedBodies {
    const Character& S;
    const Character& T;
    const Skeleton T_tree;  ///< as the target's body is carried
    const PairingSettings& settings;
    const ChainTable chains;       ///< in force, of all levels
    std::vector<Quat> S_R0, T_R0;  ///< R_WJ0 of the rests that are as one another
    const std::vector<MatchedChain> matched;

    /// Throws FileError when one of the characters lacks hips or legs.
    PairedBodies(const Character& source, const Character& target, const PairingSettings& settings,
                 const std::string& take_key);

    const ChainSettings& set(const std::string& chain) const { return settings_of(chains, chain); }
    /// The source joint that has the whole roll of a role's bone, when that is another one; -1 else.
    int gathered(int joint) const;
};

/// Where a run ends: its last bone's far end, else its last joint. In that joint's frame, m.
Vec3 end_of_run(const Character& character, int last_joint);

}  // namespace nb
