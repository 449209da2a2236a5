// A character: a rig with its roles and its rest alignment.
#pragma once
#include <memory>
#include <optional>
#include <string>

#include "core/body/roles.hpp"
#include "core/body/touch_layers.hpp"
#include "core/rest/alignment.hpp"
#include "core/rig/rig.hpp"

namespace nb {

class LaterSurface;

struct Character {
    std::string id;  ///< UUID
    std::string name;
    Rig rig;
    RoleMap roles;
    RestAlignment rest;                      ///< the one in force
    std::vector<RestAlignment> other_rests;  ///< further ones, by name
    ChainTable chains;                       ///< what is set for its chains as a target, whatever drives it
    TouchLayers touches;                     ///< what this body always needs beyond a transfer
    RestAlignment solved;                    ///< the T as found: what corrections and gaps are counted from
    /// Skin of the rig its document names, when the file that was read shows none (core/surface). May be null.
    std::shared_ptr<const LaterSurface> skin;
    std::string document_text;  ///< the document it was read from, for keys this program does not know
};

/// True when the least a transfer needs is there: hips and both legs. `why` names what is missing.
bool can_be_transferred(const RoleMap& roles, std::string& why);

/// Solves the T from the rig and `take` (may be null) and puts it in force; further alignments are dropped.
void align_to_t(Character& character, const Take* take);

/// The joint that stands where `joint` would in a mirror between left and right, in the aligned rest (else in
/// the rest pose); -1 when none stands within 4 % of the body's stature, or the joint stands in the middle.
int mirrored_joint(const Character& character, int joint);
/// Gives a role to a bone by hand: the bone loses the role it had, the role its former bone. `joint` -1 takes
/// the role away. Lists are made anew.
void give_role(const Skeleton& skeleton, RoleMap& roles, const std::string& role, int joint);

}  // namespace nb
