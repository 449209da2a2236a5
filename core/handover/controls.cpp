#include "core/handover/controls.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <optional>
#include <set>
#include <utility>

#include "core/base/fault.hpp"
#include "core/base/name_table.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/goals.hpp"

namespace nb {

namespace {

constexpr double pole_off_m = 0.02;

constexpr std::array<std::pair<LimbMode, const char*>, 3> mode_names{
    {{LimbMode::goal_and_pole, "goal and pole"}, {LimbMode::angles, "angles"}, {LimbMode::both, "both"}}};

/// A word of a node's name and the part it stands for: of the body by goals, of a limb by its angles.
struct Word {
    const char* word;
    const char* goal;
    const char* role;
};
constexpr std::array<Word, 31> words{{{"hips", "hips", "hips"},
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
                                      {"collarbone", "clavicle", "clavicle"},
                                      {"shoulder", "clavicle", "clavicle"},
                                      {"upperarm", "upperarm", "upperarm"},
                                      {"humerus", "upperarm", "upperarm"},
                                      {"forearm", "forearm", "forearm"},
                                      {"lowerarm", "forearm", "forearm"},
                                      {"radius", "forearm", "forearm"},
                                      {"thigh", "thigh", "thigh"},
                                      {"femur", "thigh", "thigh"},
                                      {"shin", "shin", "shin"},
                                      {"tibia", "shin", "shin"},
                                      {"neck", "neck.1", "neck.1"}}};
const std::set<std::string> turning{"turn", "rot", "rotate", "fk", "angle"};
const std::set<std::string> of_middle{"hips", "chest", "head", "look", "neck.1"};

/// Words of a name: parted where something else than a letter stands, or where a capital follows a small letter.
std::vector<std::string> words_of(const std::string& name) {
    std::vector<std::string> parts(1);
    bool was_small = false;
    for (const char c : name) {
        const auto letter = static_cast<unsigned char>(c);
        if (!std::isalpha(letter)) {
            if (!parts.back().empty()) parts.emplace_back();
            was_small = false;
            continue;
        }
        if (std::isupper(letter) && was_small) parts.emplace_back();
        was_small = std::islower(letter) != 0;
        parts.back() += char(std::tolower(letter));
    }
    if (parts.back().empty()) parts.pop_back();
    return parts;
}

std::string side_of_words(const std::vector<std::string>& parts) {
    for (const std::string& part : parts) {
        if (part == "l" || part == "left" || part == "lt") return ".left";
        if (part == "r" || part == "right" || part == "rt") return ".right";
    }
    return "";
}

bool body_has(const RoleMap& roles, const std::string& goal) {
    const auto usual = usual_goals(roles);
    return std::find(usual.begin(), usual.end(), goal) != usual.end() || roles.joint(goal) >= 0;
}

bool is_pole(const std::string& goal) {
    return goal.starts_with("elbow.") || goal.starts_with("knee.");
}

/// The limb a control is of, and whether it is one of its angles; empty: of none.
std::pair<std::string, bool> limb_of(const std::string& goal) {
    const size_t point = goal.rfind('.');
    const std::string side = point == std::string::npos ? "" : goal.substr(point);
    const std::string part = goal.substr(0, goal.size() - side.size());
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

/// Where elbow or knee of a pole are at the aligned rest.
Vec3 middle_at_rest(const Handed& handed, const std::string& pole) {
    const std::string role = (pole.starts_with("knee") ? "shin" : "forearm") + pole.substr(pole.rfind('.'));
    return handed.character.rest.p_WJ0[size_t(handed.character.roles.joint(role))];
}
double length_at_rest(const Handed& handed, const std::string& pole) {
    const std::string side = pole.substr(pole.rfind('.'));
    const bool is_leg = pole.starts_with("knee");
    const auto p = [&](const char* part) {
        return handed.character.rest.p_WJ0[size_t(handed.character.roles.joint(part + side))];
    };
    const Vec3 a = p(is_leg ? "thigh" : "upperarm"), b = p(is_leg ? "shin" : "forearm"),
               c = p(is_leg ? "foot" : "hand");
    return (b - a).norm() + (c - b).norm();
}

}  // namespace

std::string_view limb_mode_name(LimbMode mode) {
    return name_in(mode_names, mode);
}
std::optional<LimbMode> limb_mode(std::string_view name) {
    return value_in(mode_names, name);
}

std::vector<Control> propose_controls(const std::vector<std::string>& nodes, const RoleMap& roles) {
    std::vector<Control> controls;
    for (const std::string& node : nodes) {
        const auto parts = words_of(node);
        const std::string side = side_of_words(parts);
        const bool is_turn = std::any_of(parts.begin(), parts.end(),
                                         [](const std::string& part) { return turning.contains(part); });
        for (const Word& word : words) {
            if (std::find(parts.begin(), parts.end(), word.word) == parts.end()) continue;
            std::string goal = is_turn ? word.role : word.goal;
            if (goal.empty()) continue;
            if (!of_middle.contains(goal)) {
                if (side.empty()) continue;
                goal += side;
            }
            if (!body_has(roles, goal)) continue;
            const bool is_angle = is_turn || limb_of(goal).second || goal.starts_with("clavicle") ||
                                  goal.starts_with("neck") || goal.starts_with("toe");
            controls.push_back({node, goal, !is_angle, !is_pole(goal) && goal != "look"});
            break;
        }
    }
    return controls;
}

Control mirrored_control(const Control& control, const std::vector<std::string>& nodes) {
    const auto parts = words_of(control.node);
    const std::string side = side_of_words(parts);
    if (side.empty()) return {};
    const auto without_side = [](std::vector<std::string> of) {
        for (std::string& part : of)
            for (const char* word : {"l", "left", "lt", "r", "right", "rt"})
                if (part == word) part.assign(1, '?');
        return of;
    };
    Control other = control;
    other.node.clear();
    for (const std::string& node : nodes) {
        const auto its = words_of(node);
        if (side_of_words(its) != side && !side_of_words(its).empty() &&
            without_side(its) == without_side(parts))
            other.node = node;
    }
    if (other.node.empty()) return {};
    const std::string to = side == ".left" ? ".right" : ".left";
    if (other.goal.ends_with(side)) other.goal.replace(other.goal.size() - side.size(), side.size(), to);
    return other;
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
            const auto mode = rig.limbs.contains(limb) ? rig.limbs.at(limb) : LimbMode::goal_and_pole;
            if (mode != LimbMode::both && is_angle != (mode == LimbMode::angles)) continue;
        }
        if (control.goal.empty() || !body_has(handed.character.roles, control.goal)) {
            result.told.push_back(
                control.goal.empty()
                    ? fmt::format("'{}' takes nothing{}", control.node,
                                  control.has_place ? ": it wants a place and gets none" : "")
                    : fmt::format("'{}' wants {}, which the body has not", control.node, control.goal));
            continue;
        }
        Driven one;
        one.control = &control;
        const Vec3& p_C0 = rest.p[size_t(node)];
        if (is_pole(control.goal)) {
            const Vec3 middle = middle_at_rest(handed, control.goal);
            const double share =
                (p_C0 - middle).norm() / std::max(1e-6, length_at_rest(handed, control.goal));
            one.track = goal_track(handed, control.goal, share);
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
    WorldMotion& motion = result.motion;
    motion.start_s = handed.motion.start_s;
    motion.frame_time_s = handed.motion.frame_time_s;
    motion.resize(handed.motion.frames, file.skeleton.size());
    for (int f = 0; f < motion.frames; ++f)
        for (int j = 0; j < motion.joints; ++j) {
            const int parent = file.skeleton.parents[size_t(j)];
            const Rigid X_WP =
                parent < 0 ? Rigid{} : Rigid{motion.R[motion.at(f, parent)], motion.p[motion.at(f, parent)]};
            Rigid X = X_WP * Rigid{file.skeleton.rest_R[size_t(j)], file.skeleton.rest_p[size_t(j)]};
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
