#include "core/rest/reference.hpp"

#include <algorithm>

#include "core/body/measures.hpp"
#include "core/math/mean.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

// What was modelled mirrors itself, in whatever pose. People who stand as told do to 5 or 6 degrees, on
// straight legs; one who moves is 10 to 50 off, one who stands at ease is 10 off on bent knees (open captures).
constexpr double modelled = deg_to_rad(2.0), most_uneven = deg_to_rad(8.0), most_folded = deg_to_rad(25.0);
constexpr int looked_at = 600;  // frames of a take, evenly spread

/// From between the thigh joints to between the shoulders, or the head.
Vec3 trunk_of(const RoleMap& roles, const Pose& pose) {
    const Vec3& thigh_left = pose.p[size_t(roles.joint("thigh.left"))];
    const Vec3& thigh_right = pose.p[size_t(roles.joint("thigh.right"))];
    const Vec3 centre = 0.5 * (thigh_left + thigh_right);
    const int arm_left = roles.joint("upperarm.left");
    const int arm_right = roles.joint("upperarm.right");
    if (arm_left >= 0 && arm_right >= 0)
        return 0.5 * (pose.p[size_t(arm_left)] + pose.p[size_t(arm_right)]) - centre;
    if (const int head = roles.joint("head"); head >= 0) return pose.p[size_t(head)] - centre;
    return Vec3::UnitY();
}

void judge(const Skeleton& skeleton, const RoleMap& roles, Reference& candidate) {
    const Quat turn = body_turn(roles, candidate.pose);
    double uneven = 0.0, folded = 0.0;
    int pairs = 0;
    for (const auto* part : {"upperarm", "forearm", "thigh", "shin"}) {
        std::optional<Vec3> left;
        for (const Side side : {Side::left, Side::right}) {
            const std::string role = part + std::string(side_suffix(side));
            const int j = roles.joint(role);
            Vec3 end;
            if (j < 0 || !find_bone_end(skeleton, roles, role, candidate.pose, end)) continue;
            const Vec3 direction = turn * Vec3(end - candidate.pose.p[size_t(j)]);
            candidate.deviations.push_back({role, angle_between(direction, stance_direction(role))});
            const double off = candidate.deviations.back().direction_rad;
            candidate.deviation += off;
            if (role.starts_with("thigh") || role.starts_with("shin")) folded = std::max(folded, off);
            if (side == Side::left) {
                left = direction;
            } else if (left) {
                uneven += angle_between(*left, Vec3(-direction.x(), direction.y(), direction.z()));
                ++pairs;
            }
        }
    }
    if (!candidate.deviations.empty()) candidate.deviation /= double(candidate.deviations.size());
    if (pairs > 0) uneven /= pairs;
    // The pose a mesh was modelled in is always meant.
    candidate.is_stance = candidate.name == "bind pose" || uneven <= modelled ||
                          (uneven <= most_uneven && folded <= most_folded);
}

bool has_motion(const Take* take) {
    return take && take->frames > take->first_motion_frame;
}
int step_of(const Take& take) {
    return std::max(1, take.frames / looked_at);
}

bool is_upright(const RoleMap& roles, const Pose& pose) {
    return angle_between(trunk_of(roles, pose), Vec3::UnitY()) < deg_to_rad(25.0);
}

/// What the body's motion goes around: every joint at its mean turn from its parent, the hips upright as they
/// are in the mean of the frames in which the body is.
Pose mean_pose(const Skeleton& skeleton, const Take& take, const RoleMap& roles) {
    const int hips = roles.joint("hips");
    const int step = step_of(take);
    const int count = (take.frames - take.first_motion_frame + step - 1) / step;
    Skeleton mean = skeleton;
    for (int joint = 0; joint < skeleton.size(); ++joint)
        mean.rest_R[size_t(joint)] = mean_rotation(
            [&](int i) {
                return take
                    .R[size_t(take.first_motion_frame + i * step) * size_t(take.joints) + size_t(joint)];
            },
            0, count);
    Pose pose = rest_pose(mean);
    Vec3 up = Vec3::Zero(), up_always = Vec3::Zero();
    for (int i = 0; i < count; ++i) {
        const Pose seen = pose_at(skeleton, take, take.first_motion_frame + i * step);
        const Vec3 up_J = seen.R[size_t(hips)].conjugate() * Vec3::UnitY();
        up_always += up_J;
        if (is_upright(roles, seen)) up += up_J;
    }
    if (up.norm() < 1e-6) up = up_always;
    if (up.norm() < 1e-6) return pose;
    const Quat turn = shortest_arc(pose.R[size_t(hips)] * up, Vec3::UnitY());
    for (Quat& R : pose.R) R = turn * R;
    for (Vec3& p : pose.p) p = turn * p;
    return pose;
}

}  // namespace

Quat body_turn(const RoleMap& roles, const Pose& pose) {
    const Vec3 up = is_upright(roles, pose) ? Vec3(Vec3::UnitY()) : trunk_of(roles, pose);
    return Quat(Mat3(frame_from(body_left(roles, pose), up).transpose()));
}

Reference choose_reference(const Skeleton& skeleton, const Rig& rig, const RoleMap& roles,
                           const RestRequest& request) {
    std::vector<Reference> candidates;
    candidates.push_back({"rest pose", rest_pose(skeleton), 0.0, {}});
    if (!skeleton.bind_R.empty()) candidates.push_back({"bind pose", bind_pose(skeleton), 0.0, {}});
    const Take* take = request.take;
    if (take && take->frames > 0)
        candidates.push_back({"first frame", start_pose(rig.skeleton, *take), 0.0, {}});
    if (std::any_of(candidates.begin(), candidates.end(),
                    [&](const auto& c) { return c.name == request.reference; }))
        std::erase_if(candidates, [&](const auto& c) { return c.name != request.reference; });
    for (Reference& candidate : candidates) judge(skeleton, roles, candidate);
    Reference nearest =
        *std::min_element(candidates.begin(), candidates.end(),
                          [](const auto& a, const auto& b) { return a.deviation < b.deviation - 1e-9; });
    // A pose that is chosen by hand is meant.
    nearest.is_stance |= nearest.name == request.reference;
    if (!nearest.is_stance && has_motion(take)) nearest.pose = mean_pose(rig.skeleton, *take, roles);
    return nearest;
}

std::optional<Vec3> standing_up(const Skeleton& skeleton, const Take* take, int foot) {
    if (!has_motion(take)) return std::nullopt;
    std::vector<std::pair<double, Vec3>> seen;
    const int step = step_of(*take);
    for (int f = take->first_motion_frame; f < take->frames; f += step) {
        const Pose pose = pose_at(skeleton, *take, f);
        seen.emplace_back(pose.p[size_t(foot)].y(), pose.R[size_t(foot)].conjugate() * Vec3::UnitY());
    }
    const auto end = seen.begin() + std::ptrdiff_t((seen.size() + 9) / 10);
    std::nth_element(seen.begin(), end - 1, seen.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    Vec3 sum = Vec3::Zero();
    for (auto at = seen.begin(); at != end; ++at) sum += at->second;
    if (sum.norm() < 1e-9) return std::nullopt;
    return sum.normalized();
}

}  // namespace nb
