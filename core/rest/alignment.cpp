#include "core/rest/alignment.hpp"

#include <algorithm>
#include <array>
#include <utility>

#include "core/base/name_table.hpp"
#include "core/body/carried.hpp"

namespace nb {

namespace {

constexpr std::array<std::pair<HingeSource, std::string_view>, 4> hinge_sources{
    {{HingeSource::take, "take"},
     {HingeSource::bind_pose, "bind pose"},
     {HingeSource::rest_bend, "rest bend"},
     {HingeSource::assumed, "assumed"}}};

constexpr std::array<std::pair<RollSource, std::string_view>, 11> roll_sources{
    {{RollSource::take, "bend in the take"},
     {RollSource::bind_pose, "as modelled"},
     {RollSource::rest_bend, "bend at rest"},
     {RollSource::finger_fan, "finger fan"},
     {RollSource::hand_mesh, "flat of the hand"},
     {RollSource::palm, "palm"},
     {RollSource::sole_mesh, "sole of the mesh"},
     {RollSource::sole_bones, "sole, level as it was"},
     {RollSource::own, "own rest kept"},
     {RollSource::by_hand, "by hand"},
     {RollSource::unknown, "unknown"}}};

}  // namespace

std::string_view hinge_source_name(HingeSource source) {
    return name_in(hinge_sources, source);
}
HingeSource hinge_source(std::string_view name) {
    return value_in(hinge_sources, name).value_or(HingeSource::assumed);
}
std::string_view roll_source_name(RollSource source) {
    return name_in(roll_sources, source);
}
RollSource roll_source(std::string_view name) {
    return value_in(roll_sources, name).value_or(RollSource::unknown);
}

bool find_bone_end(const Skeleton& skeleton, const RoleMap& roles, std::string_view role, const Pose& pose,
                   Vec3& end_m) {
    const int joint = roles.joint(role);
    if (joint < 0) return false;
    const Vec3& start = pose.p[size_t(joint)];
    const auto take_if_apart = [&](const Vec3& end) {
        if ((end - start).norm() < 1e-6) return false;
        end_m = end;
        return true;
    };
    if (const ChainPlan* chain = body_plan(roles.plan).chain_of(role)) {
        const auto at = std::find(chain->roles.begin(), chain->roles.end(), role);
        for (auto next = at + 1; next < chain->roles.end(); ++next)
            if (const int j = roles.joint(*next); j >= 0 && take_if_apart(pose.p[size_t(j)])) return true;
    }
    if (role_part(role) == "hand") {
        const std::string side(side_suffix(role_side(role)));
        for (const auto* finger : {"middle.1", "index.1", "ring.1", "little.1"})
            if (const int j = roles.joint(finger + side); j >= 0 && take_if_apart(pose.p[size_t(j)]))
                return true;
    }
    // An end site of the joint, or of what hangs below it without a role.
    for (const EndSite& site : skeleton.end_sites) {
        if (!skeleton.is_ancestor(joint, site.joint)) continue;
        if (take_if_apart(pose.p[size_t(site.joint)] + pose.R[size_t(site.joint)] * site.offset_m))
            return true;
    }
    for (int j = joint + 1; j < skeleton.size(); ++j)
        if (skeleton.parents[size_t(j)] == joint && roles.role_of(j).empty() &&
            take_if_apart(pose.p[size_t(j)]))
            return true;
    return false;
}

void apply_alignment(const Skeleton& file_tree, const RoleMap& roles, RestAlignment& rest) {
    const Skeleton skeleton = carried_skeleton(file_tree, roles);
    const Pose stored = rest_pose(skeleton);
    const size_t n = skeleton.names.size();
    rest.R_WJ0.resize(n);
    rest.p_WJ0.resize(n);
    for (size_t j = 0; j < n; ++j) {
        rest.R_WJ0[j] = (rest.D_W[j] * stored.R[j]).normalized();
        const int parent = skeleton.parents[j];
        rest.p_WJ0[j] =
            parent < 0 ? skeleton.rest_p[j]
                       : Vec3(rest.p_WJ0[size_t(parent)] + rest.R_WJ0[size_t(parent)] * skeleton.rest_p[j]);
    }
    const auto mean_of = [&](const char* a, const char* b) -> Vec3 {
        const int left = roles.joint(a);
        const int right = roles.joint(b);
        if (left < 0 || right < 0) return rest.p_WJ0[0];
        return 0.5 * (rest.p_WJ0[size_t(left)] + rest.p_WJ0[size_t(right)]);
    };
    const Vec3 centre = mean_of("thigh.left", "thigh.right");
    const double ankle = mean_of("foot.left", "foot.right").y();
    const Vec3 shift(-centre.x(), rest.ankle_height_m - ankle, -centre.z());
    for (Vec3& p : rest.p_WJ0) p += shift;
}

Quat relative_turn(const RoleMap& roles, const RestAlignment& rest, const std::string& role) {
    const int joint = roles.joint(role);
    const int parent = roles.joint(roles.parent_role(role));
    const Quat& D = rest.D_W[size_t(joint)];
    // The true inverse: read digits are of unit length to 1e-12 only, and shall come out as they were.
    return parent < 0 ? D : rest.D_W[size_t(parent)].inverse() * D;
}

}  // namespace nb
