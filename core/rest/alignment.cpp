#include "core/rest/alignment.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/rest/measures.hpp"

namespace nb {

std::string_view hinge_source_name(HingeSource source) {
    return source == HingeSource::rest_bend ? "rest bend" : source == HingeSource::take ? "take" : "assumed";
}

Vec3 stance_direction(std::string_view role) {
    const double out = role_side(role) == Side::right ? -1.0 : 1.0;
    const std::string part = role_part(role);
    if (part == "thigh" || part == "shin") return -Vec3::UnitY();
    if (part == "thumb") return {out * std::cos(deg_to_rad(40.0)), 0.0, std::sin(deg_to_rad(40.0))};
    return out * Vec3::UnitX();
}

Vec3 stance_hinge(std::string_view limb) {
    if (limb.starts_with("leg")) return Vec3::UnitX();
    return role_side(limb) == Side::right ? Vec3::UnitY() : Vec3(-Vec3::UnitY());
}

namespace {

const ChainPlan* chain_of(std::string_view role) {
    for (const ChainPlan& chain : biped_chains())
        if (std::find(chain.roles.begin(), chain.roles.end(), role) != chain.roles.end()) return &chain;
    return nullptr;
}

}  // namespace

bool find_bone_end(const Skeleton& skeleton, const RoleMap& roles, std::string_view role, const Pose& pose,
                   Vec3& end_m) {
    const int joint = roles.joint(role);
    const Vec3& start = pose.p[size_t(joint)];
    const auto take_if_apart = [&](const Vec3& end) {
        if ((end - start).norm() < 1e-6) return false;
        end_m = end;
        return true;
    };
    if (const ChainPlan* chain = chain_of(role)) {
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

namespace {

constexpr double least_bend = deg_to_rad(10.0);  // below it the bend plane is not to be trusted
constexpr double most_hinge_error = deg_to_rad(75.0);

struct LimbJoints {
    std::string name;
    int upper, lower, tip;
};

std::vector<LimbJoints> limbs_of(const RoleMap& roles) {
    std::vector<LimbJoints> result;
    for (const Side side : {Side::left, Side::right}) {
        const std::string s(side_suffix(side));
        const LimbJoints arm{"arm" + s, roles.joint("upperarm" + s), roles.joint("forearm" + s),
                             roles.joint("hand" + s)};
        const LimbJoints leg{"leg" + s, roles.joint("thigh" + s), roles.joint("shin" + s),
                             roles.joint("foot" + s)};
        for (const auto& limb : {arm, leg})
            if (limb.upper >= 0 && limb.lower >= 0 && limb.tip >= 0) result.push_back(limb);
    }
    return result;
}

/// Hinge axis seen from the upper bone, averaged over the take's bent frames. False when it is not steady.
bool hinge_from_take(const Skeleton& skeleton, const Take& take, const LimbJoints& limb, Vec3& n_J) {
    Vec3 sum = Vec3::Zero();
    double weight = 0.0;
    const int step = std::max(1, take.frames / 300);
    for (int f = take.first_motion_frame; f < take.frames; f += step) {
        const Pose pose = pose_at(skeleton, take, f);
        const Vec3 upper = pose.p[size_t(limb.lower)] - pose.p[size_t(limb.upper)];
        const Vec3 lower = pose.p[size_t(limb.tip)] - pose.p[size_t(limb.lower)];
        if (angle_between(upper, lower) < deg_to_rad(15.0)) continue;
        const Vec3 axis = upper.cross(lower) / (upper.norm() * lower.norm());
        sum += pose.R[size_t(limb.upper)].conjugate() * axis;
        weight += axis.norm();
    }
    if (weight < 1.0 || sum.norm() < 0.8 * weight) return false;
    n_J = sum.normalized();
    return true;
}

/// World turn of the whole body that makes it face +Z with the thigh-joint line level.
Quat body_turn(const RoleMap& roles, const Pose& pose) {
    const Vec3 left = pose.p[size_t(roles.joint("thigh.left"))] - pose.p[size_t(roles.joint("thigh.right"))];
    const Vec3 centre =
        0.5 * (pose.p[size_t(roles.joint("thigh.left"))] + pose.p[size_t(roles.joint("thigh.right"))]);
    Vec3 trunk = Vec3::UnitY();
    const int arm_left = roles.joint("upperarm.left");
    const int arm_right = roles.joint("upperarm.right");
    if (arm_left >= 0 && arm_right >= 0)
        trunk = 0.5 * (pose.p[size_t(arm_left)] + pose.p[size_t(arm_right)]) - centre;
    else if (const int head = roles.joint("head"); head >= 0)
        trunk = pose.p[size_t(head)] - centre;
    const bool is_upright = angle_between(trunk, Vec3::UnitY()) < deg_to_rad(25.0);
    return Quat(frame_from(left, is_upright ? Vec3(Vec3::UnitY()) : trunk).transpose());
}

struct Candidate {
    std::string name;
    Pose pose;
    double deviation = 0.0;
    std::vector<StanceDeviation> deviations;
};

void judge(const Skeleton& skeleton, const RoleMap& roles, Candidate& candidate) {
    const Quat turn = body_turn(roles, candidate.pose);
    for (const auto* part : {"upperarm", "forearm", "thigh", "shin"}) {
        for (const Side side : {Side::left, Side::right}) {
            const std::string role = part + std::string(side_suffix(side));
            const int j = roles.joint(role);
            Vec3 end;
            if (j < 0 || !find_bone_end(skeleton, roles, role, candidate.pose, end)) continue;
            const Vec3 direction = turn * Vec3(end - candidate.pose.p[size_t(j)]);
            candidate.deviations.push_back({role, angle_between(direction, stance_direction(role))});
            candidate.deviation += candidate.deviations.back().direction_rad;
        }
    }
    if (!candidate.deviations.empty()) candidate.deviation /= double(candidate.deviations.size());
}

/// Signed angle about unit axis s that brings `from` nearest to `to`.
double roll_about(const Vec3& s, const Vec3& from, const Vec3& to) {
    const Vec3 a = from - s * s.dot(from);
    const Vec3 b = to - s * s.dot(to);
    return std::atan2(s.dot(a.cross(b)), a.dot(b));
}

void find_ankle_height(const Skeleton& skeleton, const RoleMap& roles, const Pose& reference,
                       const Take* take, RestAlignment& rest) {
    const double leg = leg_length(skeleton, roles);
    const std::array<int, 2> feet{roles.joint("foot.left"), roles.joint("foot.right")};
    const auto lowest_point = [&](const Pose& pose) {
        double lowest = 1e30;
        for (const int foot : feet) {
            if (foot < 0) continue;
            for (int j = foot; j < skeleton.size(); ++j)
                if (skeleton.is_ancestor(foot, j)) lowest = std::min(lowest, pose.p[size_t(j)].y());
            for (const EndSite& site : skeleton.end_sites)
                if (skeleton.is_ancestor(foot, site.joint))
                    lowest = std::min(
                        lowest,
                        (pose.p[size_t(site.joint)] + pose.R[size_t(site.joint)] * site.offset_m).y());
        }
        return lowest;
    };
    const auto ankle = [&](const Pose& pose) {
        double low = 1e30;
        double sum = 0.0;
        int count = 0;
        for (const int foot : feet) {
            if (foot < 0) continue;
            low = std::min(low, pose.p[size_t(foot)].y());
            sum += pose.p[size_t(foot)].y();
            ++count;
        }
        if (count == 0) return 0.0;
        return sum / count - low < 0.015 * leg ? sum / count : low;
    };
    const auto stands = [&](const Pose& pose) {
        const double lowest = lowest_point(pose);
        return lowest > -0.02 * leg && lowest < 0.15 * leg;
    };
    if (stands(reference)) {
        rest.ankle_height_m = ankle(reference);
        rest.ankle_reason = "the " + rest.reference + " stands on the floor";
        return;
    }
    if (take && take->frames > take->first_motion_frame) {
        std::vector<std::pair<double, int>> heights;
        const int step = std::max(1, take->frames / 600);
        for (int f = take->first_motion_frame; f < take->frames; f += step)
            heights.emplace_back(ankle(pose_at(skeleton, *take, f)), f);
        const auto tenth = heights.begin() + std::ptrdiff_t(heights.size() / 10);
        std::nth_element(heights.begin(), tenth, heights.end());
        if (stands(pose_at(skeleton, *take, tenth->second))) {
            rest.ankle_height_m = tenth->first;
            rest.ankle_reason = "low tenth of the ankle's height over the take";
            return;
        }
    }
    Pose aligned{rest.R_WJ0, rest.p_WJ0};
    const double lowest = lowest_point(aligned);
    const double sole = 0.015 * leg / leg_share_of_stature;
    rest.ankle_height_m = std::max(0.0, ankle(aligned) - lowest) + sole;
    rest.ankle_reason =
        fmt::format("the lowest joint of the foot, and {:.1f} cm of sole assumed below it", 100.0 * sole);
}

}  // namespace

void apply_alignment(const Skeleton& skeleton, const RoleMap& roles, RestAlignment& rest) {
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

namespace {

/// A body on four legs: nothing is turned; the lowest paw stands on the floor.
RestAlignment own_rest(const Skeleton& skeleton, const RoleMap& roles) {
    RestAlignment rest;
    rest.reference = "rest pose";
    rest.D_W.assign(skeleton.names.size(), Quat::Identity());
    for (const auto* limb : {"arm.left", "arm.right", "leg.left", "leg.right"})
        rest.hinges[limb] = {Vec3::UnitX(), HingeSource::assumed};
    apply_alignment(skeleton, roles, rest);
    double lowest = 1e30;
    for (const Vec3& p : rest.p_WJ0) lowest = std::min(lowest, p.y());
    for (const EndSite& site : skeleton.end_sites)
        lowest = std::min(
            lowest, (rest.p_WJ0[size_t(site.joint)] + rest.R_WJ0[size_t(site.joint)] * site.offset_m).y());
    rest.ankle_height_m = -lowest;
    rest.ankle_reason = "the rest pose stands on its paws";
    apply_alignment(skeleton, roles, rest);
    return rest;
}

}  // namespace

RestAlignment align_rest(const Skeleton& skeleton, const RoleMap& roles, const Take* take,
                         const std::string& reference) {
    if (roles.is_four_legged()) return own_rest(skeleton, roles);
    std::vector<Candidate> candidates;
    candidates.push_back({"rest pose", rest_pose(skeleton), 0.0, {}});
    if (!skeleton.bind_R.empty()) candidates.push_back({"bind pose", bind_pose(skeleton), 0.0, {}});
    if (take && take->frames > 0) candidates.push_back({"first frame", pose_at(skeleton, *take, 0), 0.0, {}});
    if (std::any_of(candidates.begin(), candidates.end(), [&](const auto& c) { return c.name == reference; }))
        std::erase_if(candidates, [&](const auto& c) { return c.name != reference; });
    for (Candidate& candidate : candidates) judge(skeleton, roles, candidate);
    const Candidate& best =
        *std::min_element(candidates.begin(), candidates.end(),
                          [](const auto& a, const auto& b) { return a.deviation < b.deviation - 1e-9; });

    RestAlignment rest;
    rest.reference = best.name;
    rest.deviations = best.deviations;
    rest.mean_deviation_rad = best.deviation;
    const Quat turn = body_turn(roles, best.pose);
    const Pose stored = rest_pose(skeleton);
    const int hips = roles.joint("hips");

    const auto limbs = limbs_of(roles);
    for (const LimbJoints& limb : limbs)
        rest.hinges[limb.name] = {stance_hinge(limb.name), HingeSource::assumed};

    // D: world turn from the reference pose; parents first.
    std::vector<Quat> D(skeleton.names.size(), Quat::Identity());
    for (int joint = 0; joint < skeleton.size(); ++joint) {
        const size_t j = size_t(joint);
        if (!skeleton.is_ancestor(hips, joint)) {
            // Above and beside the body the stored rest stays.
            D[j] = stored.R[j] * best.pose.R[j].conjugate();
            continue;
        }
        const Quat from_parent = joint == hips ? turn : D[size_t(skeleton.parents[j])];
        D[j] = from_parent;
        const std::string role = roles.role_of(joint);
        if (role.empty() || joint == hips) continue;
        Vec3 end;
        const bool has_end = find_bone_end(skeleton, roles, role, best.pose, end);
        const Vec3 own = has_end ? Vec3(end - best.pose.p[j]) : Vec3(Vec3::Zero());
        switch (rest_rule(role)) {
            case RestRule::keep:
                break;
            case RestRule::gaze:
                D[j] = turn;
                break;
            case RestRule::sole: {
                const Vec3 ahead = turn * own;
                const double pitch = std::atan2(-ahead.y(), std::hypot(ahead.x(), ahead.z()));
                if (!has_end || pitch > deg_to_rad(65.0) || pitch < deg_to_rad(-25.0)) break;
                D[j] = shortest_arc(Vec3(ahead.x(), 0.0, ahead.z()), Vec3::UnitZ()) * turn;
                break;
            }
            case RestRule::match: {
                if (!has_end) break;
                const Vec3 s = stance_direction(role);
                D[j] = shortest_arc(from_parent * own, s) * from_parent;
                const auto limb =
                    std::find_if(limbs.begin(), limbs.end(), [&](const auto& l) { return l.upper == joint; });
                if (limb != limbs.end()) {
                    const Vec3 lower = best.pose.p[size_t(limb->tip)] - best.pose.p[size_t(limb->lower)];
                    const Vec3 expected = stance_hinge(limb->name);
                    Vec3 axis = own.cross(lower);
                    HingeSource source = HingeSource::rest_bend;
                    bool is_known = angle_between(own, lower) >= least_bend;
                    if (!is_known && take && hinge_from_take(skeleton, *take, *limb, axis)) {
                        axis = best.pose.R[j] * axis;
                        source = HingeSource::take;
                        is_known = true;
                    }
                    if (is_known && angle_between(Vec3(D[j] * axis), expected) < most_hinge_error) {
                        D[j] = exp_rotation(roll_about(s, D[j] * axis, expected) * s) * D[j];
                        rest.hinges[limb->name].source = source;
                    }
                }
                if (role_part(role) == "hand") {
                    const std::string side(side_suffix(role_side(role)));
                    const int index = roles.joint("index.1" + side);
                    const int little = roles.joint("little.1" + side);
                    if (index >= 0 && little >= 0) {
                        const Vec3 fan =
                            D[j] * Vec3(best.pose.p[size_t(index)] - best.pose.p[size_t(little)]);
                        D[j] = exp_rotation(roll_about(s, fan, Vec3::UnitZ()) * s) * D[j];
                    }
                }
                break;
            }
        }
    }
    rest.D_W.resize(D.size());
    for (size_t j = 0; j < D.size(); ++j)
        rest.D_W[j] = (D[j] * best.pose.R[j] * stored.R[j].conjugate()).normalized();
    apply_alignment(skeleton, roles, rest);
    find_ankle_height(skeleton, roles, best.pose, take, rest);
    apply_alignment(skeleton, roles, rest);
    return rest;
}

}  // namespace nb
