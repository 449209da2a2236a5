#include "core/rest/compare.hpp"

#include <algorithm>
#include <cmath>

#include "core/rest/solve.hpp"

namespace nb {

double RestGap::worst_deg() const {
    return std::max(std::abs(direction_deg), std::abs(roll_deg));
}

Vec3 aligned_direction(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                       const std::string& role) {
    const int joint = roles.joint(role);
    Vec3 end;
    if (joint < 0 || !rest.is_there() || !find_bone_end(skeleton, roles, role, aligned_pose(rest), end))
        return Vec3::Zero();
    return (end - rest.p_WJ0[size_t(joint)]).normalized();
}

namespace {

struct Body {
    const Character& character;
    const RestAlignment& solved;

    Quat beyond_solved(const RestAlignment& rest, const std::string& role) const {
        const size_t j = size_t(character.roles.joint(role));
        return rest.D_W[j] * solved.D_W[j].conjugate();
    }
    Vec3 direction(const RestAlignment& rest, const std::string& role, RestRule rule) const {
        if (rule != RestRule::match) return beyond_solved(rest, role) * Vec3::UnitZ();
        // Fixed to the bone: a palm or a helper between it and its far end may move by itself.
        const Vec3 seen = aligned_direction(character.rig.skeleton, character.roles, solved, role);
        return beyond_solved(rest, role) * (seen.isZero() ? stance_direction(role) : seen);
    }
};

/// Turn from the source's stance to the target's, of one role.
Quat between(const Body& S, const RestAlignment& S_rest, const Body& T, const RestAlignment& T_rest,
             const std::string& role) {
    return T.beyond_solved(T_rest, role) * S.beyond_solved(S_rest, role).conjugate();
}

RestGap gap(const Body& S, const RestAlignment& S_rest, const Body& T, const RestAlignment& T_rest,
            const std::string& role, RestRule rule) {
    const Vec3 s = S.direction(S_rest, role, rule);
    const Vec3 t = T.direction(T_rest, role, rule);
    const Quat left = shortest_arc(s, t).conjugate() * between(S, S_rest, T, T_rest, role);
    return {rad_to_deg(angle_between(s, t)), rad_to_deg(twist_angle(left, s))};
}

}  // namespace

bool moves_fingers(const Character& character, const Take& take) {
    const int first = std::max(0, take.first_motion_frame);
    for (const RoleFill& fill : character.roles.fills) {
        if (!is_finger_role(fill.role) || fill.joint >= take.joints) continue;
        for (int f = first + 1; f < take.frames; ++f)
            if (take.rotations(f)[size_t(fill.joint)].angularDistance(
                    take.rotations(first)[size_t(fill.joint)]) > deg_to_rad(1.0))
                return true;
    }
    return false;
}

std::vector<RestRow> compare_rests(const Character& source, const Character& target, bool with_fingers) {
    std::vector<RestRow> rows;
    if (!source.rest.is_there() || !target.rest.is_there()) return rows;
    const RestAlignment source_stored = stored_rest(source.rig, source.roles, source.solved);
    const RestAlignment target_stored = stored_rest(target.rig, target.roles, target.solved);
    const Body S{source, source.solved};
    const Body T{target, target.solved};
    const BodyPlan& plan = body_plan(target.roles.plan);
    for (const RoleFill& fill : source.roles.fills) {
        RestRow row;
        row.role = fill.role;
        row.rule = rest_rule(fill.role, plan);
        if (target.roles.joint(fill.role) < 0 || row.rule == RestRule::keep) continue;
        if (!with_fingers && is_finger_role(fill.role)) continue;
        row.stored = gap(S, source_stored, T, target_stored, fill.role, row.rule);
        row.now = gap(S, source.rest, T, target.rest, fill.role, row.rule);
        // What the bone above is off by, this one is off by as well, and nothing more.
        std::string above = source.roles.parent_role(fill.role);
        while (!above.empty() && target.roles.joint(above) < 0) above = source.roles.parent_role(above);
        if (row.now.worst_deg() > 0.01 && !above.empty())
            row.is_carried = angle_between(between(S, source.rest, T, target.rest, fill.role),
                                           between(S, source.rest, T, target.rest, above)) < deg_to_rad(0.05);
        const auto found = [&](const Character& c) {
            const auto at = c.rest.found.find(fill.role);
            return at == c.rest.found.end() ? RoleRest{} : at->second;
        };
        const RoleRest of_source = found(source);
        const RoleRest of_target = found(target);
        row.source_roll = of_source.roll;
        row.target_roll = of_target.roll;
        row.is_roll_known = of_source.is_roll_known() && of_target.is_roll_known();
        row.sure = std::min(of_source.sure, of_target.sure);
        rows.push_back(row);
    }
    std::stable_sort(rows.begin(), rows.end(), [](const RestRow& a, const RestRow& b) {
        const double a_now = std::round(10.0 * a.now.worst_deg());
        const double b_now = std::round(10.0 * b.now.worst_deg());
        if (a_now != b_now) return a_now > b_now;
        if (a.is_carried != b.is_carried) return b.is_carried;
        return a.stored.worst_deg() > b.stored.worst_deg();
    });
    return rows;
}

}  // namespace nb
