#include "core/handover/controls.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <optional>
#include <set>
#include <utility>

#include "core/base/fault.hpp"
#include "core/base/name_table.hpp"
#include "core/body/names.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/goals.hpp"

namespace nb {

namespace {

constexpr double pole_off_m = 0.02;

constexpr std::array<std::pair<LimbMode, const char*>, 3> mode_names{
    {{LimbMode::goal_and_pole, "goal and pole"}, {LimbMode::angles, "angles"}, {LimbMode::both, "both"}}};

/// Words a node's name has, all of them, and the part they stand for: of the body by goals, of a limb by its angles.
struct Word {
    const char* words;
    const char* goal;
    const char* role;
};
constexpr std::array<Word, 30> words{{{"hips", "hips", "hips"},
                                      {"pelvis", "hips", "hips"},
                                      {"chest", "chest", "chest"},
                                      {"torso", "chest", "chest"},
                                      {"thorax", "chest", "chest"},
                                      {"head", "head", "head"},
                                      {"skull", "head", "head"},
                                      {"look", "look", ""},
                                      {"gaze", "look", ""},
                                      {"hand", "wrist", "hand"},
                                      {"wrist", "wrist", "hand"},
                                      {"foot", "ankle", "foot"},
                                      {"ankle", "ankle", "foot"},
                                      {"toe", "toe", "toe"},
                                      {"toes", "toe", "toe"},
                                      {"elbow", "elbow", ""},
                                      {"knee", "knee", ""},
                                      {"clavicle", "clavicle", "clavicle"},
                                      {"collar", "clavicle", "clavicle"},
                                      {"shoulder", "clavicle", "clavicle"},
                                      {"upper arm", "upperarm", "upperarm"},
                                      {"humerus", "upperarm", "upperarm"},
                                      {"fore arm", "forearm", "forearm"},
                                      {"lower arm", "forearm", "forearm"},
                                      {"radius", "forearm", "forearm"},
                                      {"thigh", "thigh", "thigh"},
                                      {"femur", "thigh", "thigh"},
                                      {"shin", "shin", "shin"},
                                      {"tibia", "shin", "shin"},
                                      {"neck", "neck.1", "neck.1"}}};
const std::set<std::string> turning{"turn", "rot", "rotate", "fk", "angle"};
/// What hangs on the part before it: its place comes from there. Common practice.
constexpr std::array turned_only{"chest", "head", "neck", "clavicle", "toe"};
/// Nodes beside a control that carry its name: what is drawn, and what it hangs below. Common practice.
const std::set<std::string> beside{"shape", "offset", "group", "grp", "zero", "space"};
/// Words of a node that carries a limb's share. Common practice.
const std::set<std::string> sharing{"share", "switch", "blend", "mode"};
const std::set<std::string> of_middle{"hips", "chest", "head", "look", "neck.1"};

bool has_any(const BoneWords& name, const std::set<std::string>& of) {
    return std::any_of(of.begin(), of.end(), [&](const std::string& one) { return name.has(one); });
}
bool has_all(const BoneWords& name, std::string_view of) {
    const size_t blank = of.find(' ');
    return name.has(of.substr(0, blank)) && (blank == of.npos || has_all(name, of.substr(blank + 1)));
}

/// The limb a control is of, and whether it is one of its angles; empty: of none.
std::pair<std::string, bool> limb_of(const std::string& goal) {
    const std::string side(side_suffix(role_side(goal)));
    const std::string part = role_part(goal);
    for (const char* arm : {"wrist", "elbow"})
        if (part == arm) return {"arm" + side, false};
    for (const char* leg : {"ankle", "knee", "toe"})
        if (part == leg) return {"leg" + side, false};
    for (const char* arm : {"upperarm", "forearm", "hand"})
        if (part == arm) return {"arm" + side, true};
    for (const char* leg : {"thigh", "shin", "foot"})
        if (part == leg) return {"leg" + side, true};
    return {"", false};
}

/// How far a control stands from elbow or knee at the aligned rest, by the length of their limb.
double pole_share_of(const Handed& handed, const std::string& pole, const Vec3& p_C0) {
    const auto [start, mid, tip] = limb_of_pole(handed.character.roles, pole);
    const auto& p = handed.character.rest.p_WJ0;
    const Vec3 &a = p[size_t(start)], &b = p[size_t(mid)], &c = p[size_t(tip)];
    return (p_C0 - b).norm() / std::max(1e-6, (b - a).norm() + (c - b).norm());
}

}  // namespace

std::string_view limb_mode_name(LimbMode mode) {
    return name_in(mode_names, mode);
}
std::optional<LimbMode> limb_mode(std::string_view name) {
    return value_in(mode_names, name);
}

bool is_beside_control(const std::string& node) {
    return has_any(read_bone_name(node), beside);
}

std::vector<Control> propose_controls(const std::vector<std::string>& nodes, const RoleMap& roles) {
    std::vector<Control> controls;
    for (const std::string& node : nodes) {
        const BoneWords name = read_bone_name(node);
        if (has_any(name, beside) || has_any(name, sharing)) continue;
        const bool is_turn = has_any(name, turning);
        for (const Word& word : words) {
            if (!has_all(name, word.words)) continue;
            std::string goal = is_turn ? word.role : word.goal;
            if (goal.empty()) continue;
            if (!of_middle.contains(goal)) {
                if (name.side == Side::none) continue;
                goal += side_suffix(name.side);
            }
            if (!has_goal(roles, goal)) continue;
            const bool is_angle = is_turn || limb_of(goal).second ||
                                  std::any_of(turned_only.begin(), turned_only.end(),
                                              [&](const char* one) { return goal.starts_with(one); });
            controls.push_back({node, goal, !is_angle, !is_pole(goal) && goal != "look"});
            break;
        }
    }
    return controls;
}

std::map<std::string, LimbKeys> propose_limbs(const std::vector<std::string>& nodes) {
    std::map<std::string, LimbKeys> limbs;
    for (const char* part : {"arm", "leg"})
        for (const Side side : {Side::left, Side::right})
            limbs[part + std::string(side_suffix(side))].mode = LimbMode::both;
    for (const std::string& node : nodes) {
        const BoneWords name = read_bone_name(node);
        if (!has_any(name, sharing) || has_any(name, beside) || name.side == Side::none) continue;
        for (const char* part : {"arm", "leg"})
            if (name.has(part)) limbs[part + std::string(side_suffix(name.side))].node = node;
    }
    return limbs;
}

std::string limb_of_control(const Control& control) {
    return limb_of(control.goal).first;
}

Control mirrored_control(const Control& control, const std::vector<std::string>& nodes) {
    const BoneWords own = read_bone_name(control.node);
    if (own.side == Side::none) return {};
    for (const std::string& node : nodes) {
        const BoneWords its = read_bone_name(node);
        if (its.side == Side::none || its.side == own.side || its.words != own.words ||
            its.digits != own.digits)
            continue;
        Control other = control;
        other.node = node;
        other.goal = mirrored_role(control.goal);
        return other;
    }
    return {};
}

std::string unmet(const Control& control, const RoleMap& roles) {
    if (control.goal.empty())
        return fmt::format("'{}' takes nothing{}", control.node,
                           control.has_place ? ": it wants a place and gets none" : "");
    if (!has_goal(roles, control.goal))
        return fmt::format("'{}' wants {}, which the body has not", control.node, control.goal);
    return "";
}

Handed controls_as_handed(const Handed& handed, const ControlRig& rig) {
    const SkeletonFile file = read_gltf(rig.path);
    Handed result;
    result.name = handed.name;
    result.frame_time_text = handed.frame_time_text;
    Rig& own = result.character.rig;
    own.path = rig.path;
    own.format = "glb";
    own.skeleton = file.skeleton;
    own.nodes = file.nodes;
    own.channels.resize(file.skeleton.names.size());
    const Pose rest = rest_pose(file.skeleton);
    struct Driven {
        const Control* control = nullptr;
        GoalTrack track;
        Vec3 offset = Vec3::Zero();
    };
    std::vector<std::optional<Driven>> driven(file.skeleton.names.size());
    for (const Control& control : rig.controls) {
        const int node = file.skeleton.find(control.node);
        if (node < 0) {
            result.told.push_back(fmt::format("the control rig has no node '{}'", control.node));
            continue;
        }
        const auto [limb, is_angle] = limb_of(control.goal);
        if (!limb.empty()) {
            const LimbMode mode = rig.limb(limb).mode;
            if (mode != LimbMode::both && is_angle != (mode == LimbMode::angles)) continue;
        }
        if (const std::string why = unmet(control, handed.character.roles); !why.empty()) {
            result.told.push_back(why);
            continue;
        }
        Driven one;
        one.control = &control;
        const Vec3& p_C0 = rest.p[size_t(node)];
        if (is_pole(control.goal)) {
            one.track = goal_track(handed, control.goal, pole_share_of(handed, control.goal, p_C0));
            if (const double off = (one.track.rest.p - p_C0).norm(); off > pole_off_m)
                result.told.push_back(fmt::format(
                    "'{}' stands {:.1f} cm beside the plane {} bends in at rest: there it is moved",
                    control.node, 100.0 * off, control.goal));
        } else {
            one.track = goal_track(handed, control.goal);
            one.offset = p_C0 - one.track.rest.p;
        }
        driven[size_t(node)] = std::move(one);
        if (control.has_place) result.own_places.push_back(node);
    }
    if (std::none_of(driven.begin(), driven.end(), [](const auto& one) { return one.has_value(); }))
        throw FileError(rig.path, "none of its nodes takes anything of the body", "give its controls goals");
    std::vector<Vec3> raised(driven.size(), Vec3::Zero());
    for (const auto& [limb, keys] : rig.limbs) {
        if (keys.node.empty()) {
            if (keys.mode == LimbMode::both)
                result.told.push_back(fmt::format(
                    "both kinds of {} are keyed and no node says which speaks: set it in the rig", limb));
            continue;
        }
        const int node = file.skeleton.find(keys.node);
        if (node < 0) {
            result.told.push_back(fmt::format("the control rig has no node '{}'", keys.node));
            continue;
        }
        raised[size_t(node)] = keys.share_in_force() * keys.way_m * Vec3::UnitY();
        result.own_places.push_back(node);
    }
    WorldMotion& motion = result.motion;
    motion.start_s = handed.motion.start_s;
    result.starts_at_s = handed.starts_at_s;
    motion.frame_time_s = handed.motion.frame_time_s;
    motion.resize(handed.motion.frames, file.skeleton.size());
    for (int f = 0; f < motion.frames; ++f)
        for (int j = 0; j < motion.joints; ++j) {
            const int parent = file.skeleton.parents[size_t(j)];
            const Rigid X_WP =
                parent < 0 ? Rigid{} : Rigid{motion.R[motion.at(f, parent)], motion.p[motion.at(f, parent)]};
            Rigid X = X_WP * Rigid{file.skeleton.rest_R[size_t(j)], file.skeleton.rest_p[size_t(j)]};
            X.p += X.R * raised[size_t(j)];
            if (const auto& one = driven[size_t(j)]) {
                const Rigid& G = one->track.X_WG[size_t(f)];
                if (one->control->has_turn) X.R = (G.R * rest.R[size_t(j)]).normalized();
                if (one->control->has_place) X.p = G.p + G.R * one->offset;
            }
            motion.R[motion.at(f, j)] = X.R;
            motion.p[motion.at(f, j)] = X.p;
        }
    return result;
}

}  // namespace nb
