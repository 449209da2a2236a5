// What a change of a family makes of a member: of every part the family's, where the member has not its own.
//
// Of each part p (a role's bone, a role's turn in the rest, a setting of the whole body, a chain's setting, a touch-up
// layer), with `base` what the family said before of the member's rig, and `now` what it says:
//
//   member_p = base_p           now_p
//   else                        member_p stays, its own
//
// Turns of the rest are compared as turns relative to the role above, settings of the whole body taken out.
#pragma once
#include <string>
#include <vector>

#include "core/rest/character.hpp"

namespace nb {

/// Which parts of a characterization are given.
struct Parts {
    bool roles = true, rest = true, chains = true, touches = true;
};

struct Merge {
    Character character;
    std::vector<std::string> taken,
        own;  ///< "role hand.left", "rest of upperarm.left", "chain arm.left", "touch-up usual"
};
/// `base` and `now`: of the same rig as `member`.
Merge merged(const Character& member, const Character& base, const Character& now, const Take* take);

/// `to` with these parts of `from`, of the same rig.
Character with_parts(const Character& to, const Character& from, const Parts& parts, const Take* take);

}  // namespace nb
