#include "core/touchup/hand_pose.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/body/plan.hpp"

namespace nb {

namespace {

constexpr double degree = pi / 180.0;

HandPose::Digit bent(double knuckle, double middle, double last, double spread = 0.0) {
    return {{knuckle * degree, middle * degree, last * degree}, {spread * degree}, {}};
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
     {{bent(-28, 0, 0), bent(-4, 0, 0, 14), bent(-4, 0, 0), bent(-4, 0, 0, 12), bent(-4, 0, 0, 24)}},
     0.0},
}};

/// A side's arm in the aligned T: out from the body.
Vec3 out_of(std::string_view side) {
    return side == ".right" ? Vec3(-Vec3::UnitX()) : Vec3(Vec3::UnitX());
}

struct Finger {
    size_t digit = 0;
    std::vector<int> joints;  ///< from the knuckle on
    Vec3 across, normal,
        along;  ///< axes of bend, spread and roll, each square to the others; in the aligned rest
};

std::vector<Finger> fingers_of(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                               std::string_view side) {
    std::vector<Finger> fingers;
    const Pose aligned = aligned_pose(rest);
    for (size_t d = 0; d < digits.size(); ++d) {
        Finger finger;
        finger.digit = d;
        finger.along = out_of(side);
        for (int i = 1; i <= 4; ++i) {
            const std::string role = fmt::format("{}.{}{}", digits[d], i, side);
            const int joint = roles.joint(role);
            if (joint < 0) continue;
            if (Vec3 end; finger.joints.empty() && find_bone_end(skeleton, roles, role, aligned, end))
                finger.along = (end - aligned.p[size_t(joint)]).normalized();
            finger.joints.push_back(joint);
        }
        if (finger.joints.empty()) continue;
        // Bending takes what points out toward the palm, which looks down; a thumb across, toward the fingers.
        const Vec3 toward = d == 0 ? Vec3(-Vec3::UnitZ()) : Vec3(-Vec3::UnitY());
        finger.across = finger.along.cross(toward);
        if (finger.across.norm() < 1e-6) continue;
        finger.across.normalize();
        // Mirrored axes turn the other way; a spread of fingers goes away from the middle one, index ahead.
        const double mirrored = side == ".right" ? -1.0 : 1.0;
        finger.normal = finger.across.cross(finger.along);
        const double outward = d < 2 ? 1.0 : -1.0;
        finger.normal *= d == 0                                                               ? mirrored
                         : finger.along.cross(outward * Vec3::UnitZ()).dot(finger.normal) < 0 ? -1.0
                                                                                              : 1.0;
        finger.along *= mirrored;
        fingers.push_back(std::move(finger));
    }
    return fingers;
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

const HandPose* pose_of(const TouchUp& touch) {
    return touch.own_pose ? &*touch.own_pose : shipped_hand_pose(touch.pose);
}

std::vector<double> spread_over(std::span<const double> given, int count) {
    std::vector<double> parts(size_t(std::max(0, count)), 0.0);
    // Both cut into units of which each part has as many as there are given, and each given one as many as parts.
    const int from = int(given.size());
    for (int part = 0; part < count; ++part)
        for (int i = 0; i < from; ++i) {
            const int units = std::min((part + 1) * from, (i + 1) * count) - std::max(part * from, i * count);
            if (units > 0) parts[size_t(part)] += given[size_t(i)] * units / count;
        }
    return parts;
}

std::vector<PosedFinger> pose_hand(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                                   std::string_view side, const HandPose& pose, double opening) {
    std::vector<PosedFinger> result;
    const int hand = roles.joint("hand" + std::string(side));
    if (hand < 0 || !rest.is_there()) return result;
    const Quat R_HW = rest.R_WJ0[size_t(hand)].conjugate();
    const double share = 1.0 - std::clamp(opening, 0.0, 1.0);
    for (const Finger& finger : fingers_of(skeleton, roles, rest, side)) {
        const HandPose::Digit& digit = pose.of[finger.digit];
        // The thumb comes under the palm about the arm's line, from ahead to below.
        Quat turned =
            finger.digit == 0 ? exp_rotation(share * pose.oppose_rad * Vec3::UnitX()) : Quat::Identity();
        const int count = int(finger.joints.size());
        const std::vector<double> spreads = spread_over(digit.spread_rad, count);
        const std::vector<double> rolls = spread_over(digit.roll_rad, count);
        const std::vector<double> bends = spread_over(digit.bend_rad, count);
        for (size_t i = 0; i < finger.joints.size(); ++i) {
            turned = turned * exp_rotation(share * spreads[i] * finger.normal) *
                     exp_rotation(share * rolls[i] * finger.along) *
                     exp_rotation(share * bends[i] * finger.across);
            const size_t j = size_t(finger.joints[i]);
            result.push_back({finger.joints[i], (R_HW * turned * rest.R_WJ0[j]).normalized()});
        }
    }
    return result;
}

std::optional<HandPose> hand_pose_of(const Skeleton& skeleton, const RoleMap& roles,
                                     const RestAlignment& rest, std::string_view side, const Pose& shown,
                                     const std::string& name) {
    const int hand = roles.joint("hand" + std::string(side));
    if (hand < 0 || !rest.is_there()) return std::nullopt;
    const std::vector<Finger> fingers = fingers_of(skeleton, roles, rest, side);
    if (fingers.empty()) return std::nullopt;
    HandPose pose;
    pose.name = name;
    std::array<bool, digits.size()> is_known{};
    const Quat R_W0H = rest.R_WJ0[size_t(hand)] * shown.R[size_t(hand)].conjugate();
    for (const Finger& finger : fingers) {
        // The frame in which spread, roll and bend are turns about Y, X and Z of their own.
        Mat3 axes;
        axes.col(0) = finger.along;
        axes.col(1) = finger.normal;
        axes.col(2) = finger.across;
        const double handed = axes.determinant() < 0.0 ? -1.0 : 1.0;
        axes.col(2) *= handed;
        const Quat R_WA(axes);
        Quat above = Quat::Identity();
        std::vector<double> spreads, rolls, bends;
        for (const int joint : finger.joints) {
            const Quat turned = R_W0H * shown.R[size_t(joint)] * rest.R_WJ0[size_t(joint)].conjugate();
            const Mat3 m = (R_WA.conjugate() * above.conjugate() * turned * R_WA).toRotationMatrix();
            // m = Y(spread) X(roll) Z(bend)
            rolls.push_back(std::asin(std::clamp(-m(1, 2), -1.0, 1.0)));
            spreads.push_back(std::atan2(m(0, 2), m(2, 2)));
            bends.push_back(handed * std::atan2(m(1, 0), m(1, 1)));
            above = turned;
        }
        HandPose::Digit& digit = pose.of[finger.digit];
        const auto in_thirds = [](const std::vector<double>& of_bones, std::array<double, 3>& thirds) {
            std::ranges::copy(spread_over(of_bones, 3), thirds.begin());
        };
        in_thirds(spreads, digit.spread_rad);
        in_thirds(rolls, digit.roll_rad);
        in_thirds(bends, digit.bend_rad);
        is_known[finger.digit] = true;
    }
    // Fingers, not the thumb, stand in for each other: the nearest, of two the inner one.
    for (size_t d = 1; d < digits.size(); ++d) {
        if (is_known[d]) continue;
        size_t nearest = 0;
        for (size_t other = 1; other < digits.size(); ++other)
            if (is_known[other] && (nearest == 0 || std::max(other, d) - std::min(other, d) <
                                                        std::max(nearest, d) - std::min(nearest, d)))
                nearest = other;
        if (nearest > 0) pose.of[d] = pose.of[nearest];
    }
    return pose;
}

std::vector<FingersOp> compile_fingers(const Skeleton& skeleton, const RoleMap& roles,
                                       const RestAlignment& rest, const TouchUp& touch, double layer_weight) {
    std::vector<FingersOp> ops;
    const HandPose* pose = pose_of(touch);
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
