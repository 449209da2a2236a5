#include "core/touchup/hand_pose.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/plan.hpp"

namespace nb {

namespace {

constexpr double degree = pi / 180.0;

HandPose::Digit bent(double knuckle, double middle, double last, double spread = 0.0) {
    return {{knuckle * degree, middle * degree, last * degree}, spread * degree};
}

const std::array<HandPose, 6> shipped{{
    {"straight", {}, 0.0},
    {"relaxed",
     {{bent(6, 12, 12), bent(18, 26, 12, 2), bent(24, 32, 15), bent(30, 36, 18, 2), bent(34, 38, 20, 4)}},
     18 * degree},
    {"fist",
     {{bent(12, 42, 48), bent(82, 98, 60), bent(84, 100, 62), bent(84, 100, 62), bent(82, 98, 60)}},
     48 * degree},
    {"grip",
     {{bent(10, 24, 26), bent(48, 62, 34), bent(50, 64, 36), bent(52, 66, 36), bent(54, 66, 36)}},
     52 * degree},
    {"point",
     {{bent(12, 40, 40), bent(0, 4, 2), bent(82, 98, 60), bent(84, 100, 62), bent(82, 98, 60)}},
     46 * degree},
    {"spread",
     {{bent(-6, 0, 0, 22), bent(-4, 0, 0, 14), bent(-4, 0, 0), bent(-4, 0, 0, 12), bent(-4, 0, 0, 24)}},
     0.0},
}};

/// Axes of a side in the aligned T: the arm's own out, up, ahead.
struct HandAxes {
    Vec3 out, up, ahead;
};
HandAxes axes_of_side(std::string_view side) {
    return {side == ".right" ? Vec3(-Vec3::UnitX()) : Vec3(Vec3::UnitX()), Vec3::UnitY(), Vec3::UnitZ()};
}

}  // namespace

std::span<const HandPose> shipped_hand_poses() {
    return shipped;
}

const HandPose* shipped_hand_pose(std::string_view name) {
    const auto at =
        std::find_if(shipped.begin(), shipped.end(), [&](const HandPose& p) { return p.name == name; });
    return at == shipped.end() ? nullptr : &*at;
}

std::vector<double> bends_over(const std::array<double, 3>& of_three, int count) {
    std::vector<double> bends(size_t(std::max(0, count)), 0.0);
    for (int bone = 0; bone < count; ++bone)
        for (int third = 0; third < 3; ++third) {
            const double from = std::max(double(bone) / count, third / 3.0);
            const double to = std::min(double(bone + 1) / count, (third + 1) / 3.0);
            if (to > from) bends[size_t(bone)] += 3.0 * (to - from) * of_three[size_t(third)];
        }
    return bends;
}

std::vector<PosedFinger> pose_hand(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                                   std::string_view side, const HandPose& pose, double opening) {
    std::vector<PosedFinger> result;
    const int hand = roles.joint("hand" + std::string(side));
    if (hand < 0 || !rest.is_there()) return result;
    const HandAxes hand_axes = axes_of_side(side);
    const Quat R_HW = rest.R_WJ0[size_t(hand)].conjugate();
    const double share = 1.0 - std::clamp(opening, 0.0, 1.0);
    const Pose aligned = aligned_pose(rest);
    for (size_t d = 0; d < digits.size(); ++d) {
        std::vector<std::pair<std::string, int>> bones;
        for (int i = 1; i <= 4; ++i) {
            const std::string role = std::string(digits[d]) + "." + std::to_string(i) + std::string(side);
            if (const int joint = roles.joint(role); joint >= 0) bones.emplace_back(role, joint);
        }
        if (bones.empty()) continue;
        const HandPose::Digit& digit = pose.of[d];
        const bool is_thumb = d == 0;
        Vec3 along = hand_axes.out;
        if (Vec3 end; find_bone_end(skeleton, roles, bones.front().first, aligned, end))
            along = (end - aligned.p[size_t(bones.front().second)]).normalized();
        // Bending takes what points out toward the palm, which looks down; a thumb across, toward the fingers.
        const Vec3 toward = is_thumb ? Vec3(-hand_axes.ahead) : Vec3(-hand_axes.up);
        Vec3 across = along.cross(toward);
        if (across.norm() < 1e-6) continue;
        across.normalize();
        // Away from the middle finger: index and thumb ahead, ring and little back.
        const Vec3 outward = d < 2 ? hand_axes.ahead : Vec3(-hand_axes.ahead);
        const Vec3 normal =
            along.cross(outward).norm() < 1e-6 ? hand_axes.up : Vec3(along.cross(outward).normalized());
        // The thumb comes under the palm about the arm's line, from ahead to below.
        const Quat opposed =
            is_thumb ? exp_rotation(share * pose.oppose_rad * hand_axes.ahead.cross(-hand_axes.up))
                     : Quat::Identity();
        Quat turned = opposed * exp_rotation(share * digit.spread_rad * normal);
        const std::vector<double> bends = bends_over(digit.bend_rad, int(bones.size()));
        for (size_t i = 0; i < bones.size(); ++i) {
            turned = turned * exp_rotation(share * bends[i] * across);
            result.push_back(
                {bones[i].second, (R_HW * turned * rest.R_WJ0[size_t(bones[i].second)]).normalized()});
        }
    }
    return result;
}

std::vector<FingersOp> compile_fingers(const Skeleton& skeleton, const RoleMap& roles,
                                       const RestAlignment& rest, const TouchUp& touch, double layer_weight) {
    std::vector<FingersOp> ops;
    const HandPose* pose = shipped_hand_pose(touch.pose);
    if (!pose) return ops;
    for (const std::string side : {".left", ".right"}) {
        if (role_side(touch.what) != role_side("hand" + side) && !touch.has_other_side) continue;
        auto fingers = pose_hand(skeleton, roles, rest, side, *pose, touch.opening);
        if (!fingers.empty())
            ops.push_back(
                {touch.when, layer_weight, roles.joint("hand" + side), !touch.replaces, std::move(fingers)});
    }
    return ops;
}

void set_fingers(const RestAlignment& rest, int hand, const std::vector<PosedFinger>& fingers, double weight,
                 bool is_added, std::span<Quat> R) {
    if (weight <= 0.0) return;
    const Quat& R_WH = R[size_t(hand)];
    const Quat R_HW0 = rest.R_WJ0[size_t(hand)].conjugate();
    for (const PosedFinger& finger : fingers) {
        Quat& own = R[size_t(finger.joint)];
        Quat posed = R_WH * finger.R_HF;
        // On top: what the pose turns since the straight hand, of the finger as it is.
        if (is_added) {
            const Quat straight = R_HW0 * rest.R_WJ0[size_t(finger.joint)];
            posed = R_WH * (finger.R_HF * straight.conjugate()) * (R_WH.conjugate() * own);
        }
        own = interpolate(own, posed, weight).normalized();
    }
}

}  // namespace nb
