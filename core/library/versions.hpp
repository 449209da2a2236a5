// Two files of one character, an older and a newer: what of the rig is another, and what of the work on it carries over.
//
// Bones are the same by their very name; of the others an older one is a newer one when both hang on the same bone and stand in
// the same place of it within 2 % of the body's height, nearest first; and the last two that hang on the same bone when they are
// equally long. All places are compared after the change of size s that the file as a whole has been given, and the turn Q it has
// been turned by, seen from the bone above and turned as that is (T), so that of a limb that stands elsewhere the first bone alone
// is told:
//
//   s = median over bones of |o_new| / |o_old|  (o: rest offsets from the parent, world),   Q: least squares over all bones
//   expected(j) = s T_parent o_old(j)
//   T_j = U T_parent, with U the turn (least squares) that brings expected offsets of what hangs on j to those that are, where it
//   does so for all of them; else T_parent. T of what is above the root: Q
//
// moved: off by more than 0.2 % of the height; posed: U by more than 0.5 degrees; turned: the joint's own axes by more than 0.5
// degrees beyond T.
#pragma once
#include <string>
#include <vector>

#include "core/base/json_fields.hpp"
#include "core/rest/character.hpp"

namespace nb {

struct RigChange {
    enum class Is { added, gone, renamed, hung_elsewhere, moved, posed, turned };
    Is is = Is::added;
    std::string bone;   ///< as it was called; of an added one as it is
    std::string now;    ///< of a renamed one; of one that hangs elsewhere: on what
    double size = 0.0;  ///< moved: cm; posed, turned: degrees
    std::string text;   ///< a sentence
};

struct RigComparison {
    double size = 1.0;        ///< of the newer beside the older
    bool is_unit = false;     ///< as one unit of length is to another
    double turned_deg = 0.0;  ///< as a whole
    std::vector<RigChange> changes;
    std::vector<int> new_of_old;  ///< joints of the newer by those of the older; -1: it is gone
    std::string skin;             ///< what of the skin is another; empty: nothing
    // Of the work on the older:
    std::vector<std::string> roles_kept, roles_lost;  ///< lost: the bone is gone
    std::vector<std::string> rests;                   ///< alignments that carry over, by name
    std::vector<std::string> chains;                  ///< limbs whose settings carry over, with their ticks
    std::vector<std::string> chains_lost;             ///< those with ticks on bones that are gone
    int touch_ups = 0;
    bool is_same() const { return changes.empty() && skin.empty() && size == 1.0 && turned_deg == 0.0; }
};

/// `older`: with roles, rests, chains, touch-ups; of the newer its rig alone counts.
RigComparison compare_rigs(const Character& older, const Rig& newer);
Json rig_comparison_json(const RigComparison& comparison);

}  // namespace nb
