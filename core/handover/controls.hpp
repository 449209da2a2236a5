// An animator's control rig driven by goals: which node takes what, and the keys on its nodes.
//
// A control takes a goal (core/handover/goals.hpp) or a role:
//   turn    R_WC = Q R_C0                         Q what the goal turned since the aligned rest, R_C0 the control's rest
//   place   p_WC = p_G + Q (p_C0 - p_G0)          at the aligned rest it stands at its own rest
// A pole keeps its own distance from elbow or knee. Controls below others are seen from those.
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

struct ControlRig {
    std::string path;  ///< a .glb whose nodes are the controls; metres, +Y up, facing +Z
    std::vector<Control> controls;
    std::map<std::string, LimbMode> limbs;  ///< by "leg.left" ...; missing: goal and pole
};

/// What goes by a node's name: sides, parts of the body and "knee", "elbow", "look" in it, any way they are parted
/// and written; those with a word for turning ("turn", "rot", "fk") take the role's angle. Nodes that say nothing
/// are left out.
std::vector<Control> propose_controls(const std::vector<std::string>& nodes, const RoleMap& roles);
/// The same for the other side; empty where the name has no side.
Control mirrored_control(const Control& control, const std::vector<std::string>& nodes);

/// The control rig with keys on its nodes, to be written like a body. Tells controls without goal, goals the body has
/// not, poles that stand beside their limb's plane at rest. Throws FileError when the rig cannot be read or has none of
/// the nodes.
Handed controls_as_handed(const Handed& handed, const ControlRig& rig);

}  // namespace nb
