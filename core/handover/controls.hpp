// An animator's control rig driven by goals: which node takes what, and the keys on its nodes.
//
// A control takes a goal (core/handover/goals.hpp) or a role:
//   turn    R_WC = Q R_C0                         Q what the goal turned since the aligned rest, R_C0 the control's rest
//   place   p_WC = p_G + Q (p_C0 - p_G0)          at the aligned rest it stands at its own rest
// A pole keeps its own distance from elbow or knee. Controls below others are seen from those.
//
// A limb has two kinds of controls; its share says which of them speaks: 1 goal and pole, 0 its angles, between both of
// them mixed. A node carries it: it stands at its rest for 0, and a stated way up its own Y for 1.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/handover/handed.hpp"

namespace nb {

struct Control {
    std::string node, goal;
    bool has_place = true, has_turn = true;
    bool operator==(const Control&) const = default;
};

/// By which of its two kinds of controls a limb is keyed.
enum class LimbMode { goal_and_pole, angles, both };
std::string_view limb_mode_name(LimbMode mode);
std::optional<LimbMode> limb_mode(std::string_view name);

/// How a limb is keyed.
struct LimbKeys {
    LimbMode mode = LimbMode::goal_and_pole;
    double share = 1.0;  ///< of goal and pole, where both are keyed
    std::string node;    ///< that carries the share; empty: none does
    double way_m = 0.1;  ///< from 0 to 1, up the node's own Y
    bool operator==(const LimbKeys&) const = default;
    double share_in_force() const {
        return mode == LimbMode::both ? share : mode == LimbMode::angles ? 0.0 : 1.0;
    }
};

struct ControlRig {
    std::string path;  ///< a .glb whose nodes are the controls; metres, +Y up, facing +Z
    std::vector<Control> controls;
    std::map<std::string, LimbKeys> limbs;  ///< by "leg.left" ...; missing: goal and pole
    LimbKeys limb(const std::string& name) const {
        return limbs.contains(name) ? limbs.at(name) : LimbKeys{};
    }
    bool operator==(const ControlRig&) const = default;
};

/// A node that is drawn for a control, or that it hangs below, by its name: "shape", "offset", "group" ...
bool is_beside_control(const std::string& node);
/// What goes by a node's name: sides, parts of the body and "knee", "elbow", "look" in it, any way they are parted
/// and written; those with a word for turning ("turn", "rot", "fk") take the role's angle. Nodes that say nothing
/// are left out.
std::vector<Control> propose_controls(const std::vector<std::string>& nodes, const RoleMap& roles);
/// Both kinds of every limb, with the node that carries its share: one that names arm or leg, a side and "share",
/// "switch", "blend" or "mode".
std::map<std::string, LimbKeys> propose_limbs(const std::vector<std::string>& nodes);
/// The limb a control is of, "arm.left" ...; empty: of none.
std::string limb_of_control(const Control& control);
/// The same for the other side; empty where the name has no side.
Control mirrored_control(const Control& control, const std::vector<std::string>& nodes);

/// What a control wants and does not get, a sentence; empty: it is well.
std::string unmet(const Control& control, const RoleMap& roles);
/// The control rig with keys on its nodes, to be written like a body. Tells controls without goal, goals the body has
/// not, poles that stand beside their limb's plane at rest, limbs of two kinds without a node for their share. Throws
/// FileError when the rig cannot be read or has none of the nodes.
Handed controls_as_handed(const Handed& handed, const ControlRig& rig);

}  // namespace nb
