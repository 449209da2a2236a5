#include "core/handover/goals.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>
#include <utility>

#include "core/base/name_table.hpp"
#include "core/body/lines.hpp"
#include "core/body/measures.hpp"
#include "core/handover/travel.hpp"
#include "core/math/hermite.hpp"

namespace nb {

namespace {

constexpr double straight_rad = 12.0 * pi / 180.0;
constexpr double look_share = 2.0 / 3.0;

constexpr std::array<std::pair<GoalSpace, const char*>, 4> space_names{{{GoalSpace::world, "world"},
                                                                        {GoalSpace::root, "root"},
                                                                        {GoalSpace::hips, "hips"},
                                                                        {GoalSpace::chest, "chest"}}};

/// Goals that are called otherwise than their role.
constexpr std::array<std::pair<const char*, const char*>, 2> roles_of_goals{
    {{"wrist", "hand"}, {"ankle", "foot"}}};

std::string role_of_goal(const std::string& goal) {
    for (const auto& [name, role] : roles_of_goals)
        if (role_part(goal) == name) return role + std::string(side_suffix(role_side(goal)));
    return goal;
}

/// Where the pole stands: `hinge` in world axes as the upper bone carries it.
Vec3 pole_at(const Vec3& start, const Vec3& mid, const Vec3& tip, const Vec3& hinge, double share) {
    const Vec3 upper = mid - start, lower = tip - mid, along = tip - start;
    const double length = upper.norm() + lower.norm();
    if (length < 1e-9 || along.norm() < 1e-9) return mid;
    const Vec3 axis = along.normalized();
    const auto square = [&](const Vec3& v) { return Vec3(v - axis * axis.dot(v)); };
    const Vec3 by_hinge = axis.cross(hinge);
    const Vec3 by_bend = square(upper);
    const double bend = angle_between(upper, lower);
    const double w = by_bend.norm() < 1e-9 ? 0.0 : smooth_step(std::clamp(bend / straight_rad, 0.0, 1.0));
    Vec3 way = square((1.0 - w) * by_hinge + (w > 0.0 ? Vec3(w * by_bend.normalized()) : Vec3(Vec3::Zero())));
    // Bent the other way by just as much: the side it is bent to.
    if (way.norm() < 1e-6) way = w > 0.5 ? by_bend : square(by_hinge);
    if (way.norm() < 1e-9) return mid;
    return mid + share * length * way.normalized();
}

}  // namespace

bool is_pole(const std::string& goal) {
    const std::string part = role_part(goal);
    return part == "elbow" || part == "knee";
}

std::array<int, 3> limb_of_pole(const RoleMap& roles, const std::string& pole) {
    const std::string side(side_suffix(role_side(pole)));
    const bool is_leg = role_part(pole) == "knee";
    return {roles.joint((is_leg ? "thigh" : "upperarm") + side),
            roles.joint((is_leg ? "shin" : "forearm") + side),
            roles.joint((is_leg ? "foot" : "hand") + side)};
}

bool has_goal(const RoleMap& roles, const std::string& goal) {
    if (goal == "look") return roles.joint("head") >= 0;
    if (!is_pole(goal)) return roles.joint(role_of_goal(goal)) >= 0;
    const auto limb = limb_of_pole(roles, goal);
    return std::all_of(limb.begin(), limb.end(), [](int joint) { return joint >= 0; });
}

std::string_view goal_space_name(GoalSpace space) {
    return name_in(space_names, space);
}
std::optional<GoalSpace> goal_space(std::string_view name) {
    return value_in(space_names, name);
}

std::vector<std::string> usual_goals(const RoleMap& roles) {
    std::vector<std::string> goals;
    for (const char* one :
         {"hips", "chest", "head", "wrist.left", "wrist.right", "ankle.left", "ankle.right", "toe.left",
          "toe.right", "elbow.left", "elbow.right", "knee.left", "knee.right", "look"})
        if (has_goal(roles, one)) goals.emplace_back(one);
    return goals;
}

GoalTrack goal_track(const Handed& handed, const std::string& goal, double pole_share) {
    const RoleMap& roles = handed.character.roles;
    const RestAlignment& rest = handed.character.rest;
    if (!has_goal(roles, goal)) throw std::invalid_argument(fmt::format("the body has no '{}'", goal));
    const WorldMotion& motion = handed.motion;
    GoalTrack track;
    track.name = goal;
    track.X_WG.reserve(size_t(motion.frames));
    const auto Q = [&](int f, int joint) {
        return (motion.R[motion.at(f, joint)] * rest.R_WJ0[size_t(joint)].conjugate()).normalized();
    };
    if (is_pole(goal)) {
        const auto [start, mid, tip] = limb_of_pole(roles, goal);
        const std::string limb =
            (role_part(goal) == "knee" ? "leg" : "arm") + std::string(side_suffix(role_side(goal)));
        const auto found = rest.hinges.find(limb);
        const Vec3 n0 = found != rest.hinges.end() ? found->second.n_W : Vec3::UnitX();
        const auto& p0 = rest.p_WJ0;
        track.rest.p = pole_at(p0[size_t(start)], p0[size_t(mid)], p0[size_t(tip)], n0, pole_share);
        for (int f = 0; f < motion.frames; ++f)
            track.X_WG.push_back(
                {Quat::Identity(), pole_at(motion.p[motion.at(f, start)], motion.p[motion.at(f, mid)],
                                           motion.p[motion.at(f, tip)], Q(f, start) * n0, pole_share)});
        return track;
    }
    const bool is_look = goal == "look";
    const int joint = is_look ? roles.joint("head") : roles.joint(role_of_goal(goal));
    const Vec3 ahead = is_look
                           ? Vec3(look_share * stature(handed.character.rig.skeleton, roles) * Vec3::UnitZ())
                           : Vec3(Vec3::Zero());
    track.rest.p = rest.p_WJ0[size_t(joint)] + ahead;
    for (int f = 0; f < motion.frames; ++f) {
        const Quat turn = Q(f, joint);
        track.X_WG.push_back({turn, Vec3(motion.p[motion.at(f, joint)] + turn * ahead)});
    }
    return track;
}

Handed goals_as_nodes(const Handed& handed, const GoalOptions& options) {
    const RoleMap& roles = handed.character.roles;
    std::vector<std::string> goals = options.goals.empty() ? usual_goals(roles) : options.goals;
    std::vector<GoalTrack> tracks;
    Handed nodes;
    nodes.name = handed.name;
    nodes.frame_time_text = handed.frame_time_text;
    Skeleton& skeleton = nodes.character.rig.skeleton;
    nodes.character.rig.path = handed.character.rig.path;
    const auto name_of = [&](const std::string& goal) {
        std::string name = options.pattern;
        if (const size_t at = name.find("{goal}"); at != std::string::npos) name.replace(at, 6, goal);
        return name;
    };
    // The space comes first.
    if (options.space == GoalSpace::root) {
        GoalTrack root;
        root.name = "root";
        root.X_WG = travel_track(handed, {Travel::Kind::on_root, true, false, 0.0});
        tracks.push_back(std::move(root));
    } else if (options.space != GoalSpace::world) {
        const std::string space(goal_space_name(options.space));
        std::erase(goals, space);
        tracks.push_back(goal_track(handed, space, options.pole_share));
    }
    const bool has_space = !tracks.empty();
    for (const std::string& goal : goals) tracks.push_back(goal_track(handed, goal, options.pole_share));
    nodes.motion.start_s = handed.motion.start_s;
    nodes.starts_at_s = handed.starts_at_s;
    nodes.motion.frame_time_s = handed.motion.frame_time_s;
    nodes.motion.resize(handed.motion.frames, int(tracks.size()));
    for (size_t i = 0; i < tracks.size(); ++i) {
        const bool is_below = has_space && i > 0;
        const Rigid rest = is_below ? inverse(tracks[0].rest) * tracks[i].rest : tracks[i].rest;
        skeleton.names.push_back(name_of(tracks[i].name));
        skeleton.parents.push_back(is_below ? 0 : -1);
        skeleton.rest_R.push_back(rest.R);
        skeleton.rest_p.push_back(rest.p);
        nodes.own_places.push_back(int(i));
        for (int f = 0; f < handed.motion.frames; ++f) {
            nodes.motion.R[nodes.motion.at(f, int(i))] = tracks[i].X_WG[size_t(f)].R;
            nodes.motion.p[nodes.motion.at(f, int(i))] = tracks[i].X_WG[size_t(f)].p;
        }
    }
    nodes.character.rig.channels.resize(tracks.size());
    return nodes;
}

}  // namespace nb
