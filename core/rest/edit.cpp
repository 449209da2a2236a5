#include "core/rest/edit.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

Quat mirrored_turn(const Quat& turn) {
    return {turn.w(), turn.x(), -turn.y(), -turn.z()};
}

Vec3 mirrored_vector(const Vec3& turn) {
    return {turn.x(), -turn.y(), -turn.z()};
}

namespace {

void turn_below(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest, int joint,
                const Quat& turn) {
    for (int j = joint; j < skeleton.size(); ++j)
        if (skeleton.is_ancestor(joint, j)) rest.D_W[size_t(j)] = (turn * rest.D_W[size_t(j)]).normalized();
    for (auto& [limb, hinge] : rest.hinges) {
        const std::string side(side_suffix(role_side(limb)));
        const int at = roles.joint((limb.starts_with("leg") ? "shin" : "upperarm") + side);
        if (at >= 0 && skeleton.is_ancestor(joint, at)) hinge.n_W = turn * hinge.n_W;
    }
}

/// Makes a role's turn relative to the role above exactly E; what hangs on it comes along.
void set_relative(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest,
                  const std::string& role, const Quat& E) {
    const size_t joint = size_t(roles.joint(role));
    const int parent = roles.joint(roles.parent_role(role));
    const Quat wanted = parent < 0 ? E : Quat(rest.D_W[size_t(parent)] * E);
    turn_below(skeleton, roles, rest, int(joint), (wanted * rest.D_W[joint].conjugate()).normalized());
    rest.D_W[joint] = wanted.normalized();
}

void turn_one(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest, const std::string& role,
              const Quat& turn) {
    const int joint = roles.joint(role);
    if (joint < 0 || angle_between(turn, Quat::Identity()) < 1e-9) return;
    turn_below(skeleton, roles, rest, joint, turn);
    rest.found[role] = {RollSource::by_hand, 1.0};
}

}  // namespace

void turn_bone(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest, const std::string& role,
               const Quat& turn_W, bool mirrored) {
    turn_one(skeleton, roles, rest, role, turn_W);
    const std::string other = mirrored_role(role);
    if (mirrored && other != role) turn_one(skeleton, roles, rest, other, mirrored_turn(turn_W));
    apply_alignment(skeleton, roles, rest);
}

void take_from_alignment(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest,
                         const RestAlignment& from, const std::vector<std::string>& which) {
    for (const std::string& role : which) {
        if (roles.joint(role) < 0) continue;
        set_relative(skeleton, roles, rest, role, relative_turn(roles, from, role));
        const auto at = from.found.find(role);
        if (at != from.found.end()) rest.found[role] = at->second;
    }
    apply_alignment(skeleton, roles, rest);
}

std::vector<std::string> limb_of_role(const RoleMap& roles, const std::string& role) {
    const BodyPlan& plan = body_plan(roles.plan);
    const ChainPlan* chain = plan.chain_of(role);
    if (!chain) return {role};
    std::string top = chain->name;
    if (is_finger_role(role)) top = chain->parent_chain;
    std::vector<std::string> result;
    for (const ChainPlan& c : plan.chains)
        if (c.name == top || (is_finger_role(c.roles.front()) && c.parent_chain == top))
            for (const std::string& r : c.roles)
                if (roles.joint(r) >= 0) result.push_back(r);
    return result;
}

std::vector<std::string> roles_in_order(const RoleMap& roles) {
    std::vector<std::pair<int, std::string>> in_order;
    in_order.reserve(roles.fills.size());
    for (const RoleFill& fill : roles.fills) in_order.emplace_back(fill.joint, fill.role);
    std::sort(in_order.begin(), in_order.end());
    std::vector<std::string> result;
    result.reserve(in_order.size());
    for (auto& [joint, role] : in_order) result.push_back(std::move(role));
    return result;
}

Quat axes_of(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& solved,
             const std::string& role, TurnAxes axes) {
    const int joint = roles.joint(role);
    if (joint < 0 || axes == TurnAxes::world) return Quat::Identity();
    if (axes == TurnAxes::bone) return solved.R_WJ0[size_t(joint)];
    if (axes == TurnAxes::parent) {
        const int parent = skeleton.parents[size_t(joint)];
        return parent < 0 ? Quat::Identity() : solved.R_WJ0[size_t(parent)];
    }
    const int left = roles.joint("thigh.left");
    const int right = roles.joint("thigh.right");
    if (left < 0 || right < 0) return Quat::Identity();
    return Quat(frame_from(solved.p_WJ0[size_t(left)] - solved.p_WJ0[size_t(right)], Vec3(Vec3::UnitY())));
}

namespace {

/// Correction of a role beyond the solved rest, in world axes of the solved rest: the bone above may have
/// been turned since, and carries it along.
Quat correction_W(const RoleMap& roles, const RestAlignment& rest, const RestAlignment& solved,
                  const std::string& role) {
    const int parent = roles.joint(roles.parent_role(role));
    const Quat H = relative_turn(roles, rest, role) * relative_turn(roles, solved, role).conjugate();
    const Quat D = parent < 0 ? Quat::Identity() : solved.D_W[size_t(parent)];
    return (D * H * D.conjugate()).normalized();
}

const EulerOrder xyz{{0, 1, 2}};

}  // namespace

Vec3 correction_deg(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                    const RestAlignment& solved, const std::string& role, TurnAxes axes,
                    const Vec3& near_deg) {
    if (roles.joint(role) < 0) return Vec3::Zero();
    const Quat A = axes_of(skeleton, roles, solved, role, axes);
    const Quat C = A.conjugate() * correction_W(roles, rest, solved, role) * A;
    const Vec3 angles = to_euler_nearest(C.toRotationMatrix(), xyz, near_deg * deg_to_rad(1.0));
    return angles * rad_to_deg(1.0);
}

void set_correction(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest,
                    const RestAlignment& solved, const std::string& role, TurnAxes axes, const Vec3& deg,
                    bool mirrored) {
    if (roles.joint(role) < 0) return;
    const Quat A = axes_of(skeleton, roles, solved, role, axes);
    const Quat wanted = A * from_euler(xyz, deg * deg_to_rad(1.0)) * A.conjugate();
    const auto set = [&](const std::string& of, const Quat& W) {
        const int j = roles.joint(of);
        if (j < 0) return;
        const int above = roles.joint(roles.parent_role(of));
        const Quat D = above < 0 ? Quat::Identity() : solved.D_W[size_t(above)];
        const Quat E = (D.conjugate() * W * D) * relative_turn(roles, solved, of);
        const Quat now = above < 0 ? E : Quat(rest.D_W[size_t(above)] * E);
        turn_one(skeleton, roles, rest, of, (now * rest.D_W[size_t(j)].conjugate()).normalized());
        // Nothing is left of the correction: what was known of the bone is known again.
        if (const auto at = solved.found.find(of); deg.isZero() && at != solved.found.end())
            rest.found[of] = at->second;
    };
    set(role, wanted);
    const std::string other = mirrored_role(role);
    if (mirrored && other != role) set(other, mirrored_turn(wanted));
    apply_alignment(skeleton, roles, rest);
}

bool snap_bone(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest, const std::string& role,
               Snap snap, bool mirrored) {
    const Pose pose = aligned_pose(rest);
    Vec3 end;
    if (!find_bone_end(skeleton, roles, role, pose, end)) return false;
    const Vec3 now = end - pose.p[size_t(roles.joint(role))];
    Vec3 wanted = now;
    if (snap == Snap::level) wanted.y() = 0.0;
    if (snap == Snap::vertical) wanted = Vec3(0.0, now.y(), 0.0);
    if (snap == Snap::straight) {
        const std::string parent = roles.parent_role(role);
        Vec3 parent_end;
        if (parent.empty() || !find_bone_end(skeleton, roles, parent, pose, parent_end)) return false;
        wanted = parent_end - pose.p[size_t(roles.joint(parent))];
    }
    if (wanted.norm() < 1e-6 * now.norm() || now.norm() < 1e-9) return false;
    turn_bone(skeleton, roles, rest, role, shortest_arc(now, wanted, Vec3::UnitZ()), mirrored);
    return true;
}

void copy_stance(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest,
                 const RestAlignment& solved, const RoleMap& other_roles, const RestAlignment& other,
                 const RestAlignment& other_solved, const std::vector<std::string>& which) {
    for (const std::string& role : which) {
        const int joint = roles.joint(role);
        const int theirs = other_roles.joint(role);
        if (joint < 0 || theirs < 0) continue;
        const Quat Q = other.D_W[size_t(theirs)] * other_solved.D_W[size_t(theirs)].conjugate();
        const Quat wanted = Q * solved.D_W[size_t(joint)];
        turn_one(skeleton, roles, rest, role, (wanted * rest.D_W[size_t(joint)].conjugate()).normalized());
    }
    apply_alignment(skeleton, roles, rest);
}

void set_dials(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest, const BodyDials& dials) {
    const auto by = [](double now, double before) { return exp_rotation((now - before) * Vec3::UnitX()); };
    const Quat tilt = by(dials.pelvis_tilt_rad, rest.dials.pelvis_tilt_rad);
    const Quat lean = by(dials.lean_rad, rest.dials.lean_rad);
    const Quat gaze = by(dials.gaze_rad, rest.dials.gaze_rad);
    std::vector<Quat> turn(rest.D_W.size(), Quat::Identity());
    const int hips = roles.joint("hips");
    for (int joint = 0; joint < skeleton.size(); ++joint) {
        const size_t j = size_t(joint);
        if (hips < 0 || !skeleton.is_ancestor(hips, joint)) continue;
        const std::string role = roles.role_of(joint);
        const std::string part = role_part(role);
        const int parent = skeleton.parents[j];
        // Bones without a role follow what they hang on.
        if (role.empty() && joint != hips && parent >= 0) turn[j] = turn[size_t(parent)];
        if (joint == hips) turn[j] = tilt;
        if (part == "spine" || part == "chest" || part == "neck") turn[j] = lean;
        if (part == "head" || part == "eye" || part == "jaw") turn[j] = gaze;
    }
    for (size_t j = 0; j < turn.size(); ++j) rest.D_W[j] = (turn[j] * rest.D_W[j]).normalized();
    rest.ankle_height_m += dials.ground_m - rest.dials.ground_m;
    rest.dials = dials;
    apply_alignment(skeleton, roles, rest);
}

RestAlignment carried_over(const RoleMap& roles, const RestAlignment& rest, const RestAlignment& solved,
                           const Skeleton& new_skeleton, const RoleMap& new_roles,
                           const RestAlignment& new_solved) {
    RestAlignment result = new_solved;
    result.name = rest.name;
    result.stance = rest.stance;
    for (const std::string& role : roles_in_order(new_roles)) {
        if (roles.joint(role) < 0) continue;
        const Quat beyond = relative_turn(roles, rest, role) * relative_turn(roles, solved, role).conjugate();
        set_relative(new_skeleton, new_roles, result, role,
                     beyond * relative_turn(new_roles, new_solved, role));
        const auto at = rest.found.find(role);
        if (at != rest.found.end() && at->second.roll == RollSource::by_hand) result.found[role] = at->second;
    }
    result.dials = rest.dials;
    result.ankle_height_m += rest.dials.ground_m;
    apply_alignment(new_skeleton, new_roles, result);
    return result;
}

bool is_same_alignment(const RestAlignment& a, const RestAlignment& b) {
    // Documents hold degrees to a millionth.
    const auto is_near = [](double x, double y) { return std::abs(x - y) < 1e-7; };
    Stance stance = a.stance;
    stance.arms_down_rad = b.stance.arms_down_rad;
    stance.thumb_rad = b.stance.thumb_rad;
    if (a.name != b.name || stance != b.stance || a.D_W.size() != b.D_W.size() ||
        a.stance.thumb_rad.has_value() != b.stance.thumb_rad.has_value() ||
        !is_near(a.stance.arms_down_rad, b.stance.arms_down_rad) ||
        !is_near(a.stance.thumb_rad.value_or(0), b.stance.thumb_rad.value_or(0)) ||
        !is_near(a.dials.pelvis_tilt_rad, b.dials.pelvis_tilt_rad) ||
        !is_near(a.dials.lean_rad, b.dials.lean_rad) || !is_near(a.dials.gaze_rad, b.dials.gaze_rad) ||
        !is_near(a.dials.ground_m, b.dials.ground_m) || !is_near(a.ankle_height_m, b.ankle_height_m))
        return false;
    for (size_t j = 0; j < a.D_W.size(); ++j)
        if (angle_between(a.D_W[j], b.D_W[j]) > 1e-9) return false;
    return true;
}

bool are_same_alignments(const std::vector<RestAlignment>& a, const std::vector<RestAlignment>& b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), is_same_alignment);
}

}  // namespace nb
