#include "core/scene/hand_mesh.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>

#include "core/base/parallel.hpp"
#include "core/body/carried.hpp"
#include "core/math/hermite.hpp"
#include "core/math/triangle_patches.hpp"
#include "core/math/two_bones.hpp"

namespace nb {

namespace {

constexpr double hand_reach_m = 0.06;
constexpr double pressed_m = 0.001;
constexpr double start_off_m = 0.03, most_off_m = 0.18;
constexpr double near_enough_m = 5e-4;
constexpr double about_hand_m = 0.3;
constexpr double looks_at_hand_s = 0.2;
constexpr int most_steps = 60;

}  // namespace

ArmToHand::ArmToHand(const Character& body, const LimbOp& arm)
    : start_(arm.T_start), mid_(arm.T_mid), tip_(arm.T_tip) {
    const Skeleton tree = carried_skeleton(body.rig.skeleton, body.roles);
    for (int j = 0; j < tree.size(); ++j) {
        if (!tree.is_ancestor(start_, j)) continue;
        (tree.is_ancestor(tip_, j) ? hand_ : tree.is_ancestor(mid_, j) ? lower_ : upper_).push_back(j);
    }
}

Pose ArmToHand::at(Pose pose, const Rigid& X_WH) const {
    const auto as_moved = [&](const std::vector<int>& joints, const Rigid& by) {
        for (const int j : joints) {
            const Rigid X = by * Rigid{pose.R[size_t(j)], pose.p[size_t(j)]};
            pose.R[size_t(j)] = X.R;
            pose.p[size_t(j)] = X.p;
        }
    };
    const Vec3 start = pose.p[size_t(start_)], mid = pose.p[size_t(mid_)], tip = pose.p[size_t(tip_)];
    const Vec3 upper = mid - start, lower = tip - mid, to = X_WH.p - start;
    Vec3 n = upper.cross(lower);
    if (n.norm() < 1e-9) n = upper.unitOrthogonal();
    const TwoBoneTurns turns = bend_toward(upper, lower, n.normalized(), to, to.norm());
    as_moved(hand_, X_WH * inverse(Rigid{pose.R[size_t(tip_)], tip}));
    as_moved(lower_, {turns.lower, start + turns.upper * upper - turns.lower * mid});
    as_moved(upper_, {turns.upper, start - turns.upper * start});
    return pose;
}

int frame_near(const Cast& cast, double scene_s) {
    return int(std::clamp(cast.frame_near(scene_s), 0L, long(cast.take->frames - 1)));
}

namespace {

/// By mesh and vertex: the share of a joint and all that hangs on it; empty for meshes without a skin.
std::vector<std::vector<float>> shares_below(const Character& body, int joint) {
    const Skeleton tree = carried_skeleton(body.rig.skeleton, body.roles);
    std::vector<char> is_below(size_t(tree.size()), 0);
    for (int j = 0; j < tree.size(); ++j) is_below[size_t(j)] = joint >= 0 && tree.is_ancestor(joint, j);
    std::vector<std::vector<float>> shares;
    for (const Mesh& mesh : body.rig.meshes) {
        std::vector<float>& own = shares.emplace_back();
        if (mesh.skin.size() != mesh.positions.size()) continue;
        own.resize(mesh.skin.size());
        for (size_t v = 0; v < own.size(); ++v)
            for (size_t i = 0; i < mesh.skin[v].weight.size(); ++i)
                if (const int at = mesh.palette[mesh.skin[v].palette[i]].joint;
                    at >= 0 && is_below[size_t(at)])
                    own[v] += mesh.skin[v].weight[i];
    }
    return shares;
}

std::vector<std::vector<char>> none_of(const Character& body) {
    std::vector<std::vector<char>> none;
    for (const Mesh& mesh : body.rig.meshes) none.emplace_back(mesh.positions.size(), 0);
    return none;
}

}  // namespace

HandMesh::HandMesh(const Character& of, Side side, const Character& on, Side arm)
    : of_(of), on_(on), triangles_(body_triangles(on)) {
    hand_ = of.roles.joint("hand" + std::string(side_suffix(side)));
    if (hand_ < 0) return;
    const auto own = shares_below(of, hand_);
    const auto is_of_thing = vertices_of_things(of);
    for (std::uint32_t m = 0; m < own.size(); ++m)
        for (std::uint32_t v = 0; v < own[m].size(); ++v)
            if (own[m][v] > 0.5F && !is_of_thing[m][v]) vertices_.push_back({m, v});
    of_hand_ = none_of(of);
    for (const SkinCorner& vertex : vertices_) of_hand_[vertex.mesh][vertex.vertex] = 1;
    if (arm != Side::none) keep_arm(arm);
    of_other_ = none_of(on);
    for (const auto& corners : triangles_)
        for (const SkinCorner& corner : corners) of_other_[corner.mesh][corner.vertex] = 1;
}

void HandMesh::keep_arm(Side arm) {
    const auto others = shares_below(on_, on_.roles.joint("forearm" + std::string(side_suffix(arm))));
    std::erase_if(triangles_, [&](const std::array<SkinCorner, 3>& corners) {
        return std::any_of(corners.begin(), corners.end(), [&](const SkinCorner& corner) {
            return others[corner.mesh][corner.vertex] < 0.5F;
        });
    });
}

Vec3 HandMesh::onto(const Pose& of, const Rigid& X_WH, const Pose& on, const Vec3& out) const {
    if (vertices_.empty() || triangles_.empty()) return Vec3::Zero();
    Pose moved = of;
    const Rigid by = X_WH * inverse(Rigid{of.R[size_t(hand_)], of.p[size_t(hand_)]});
    // All of it, so that skin over the wrist goes along.
    for (size_t j = 0; j < moved.p.size(); ++j) {
        const Rigid X = by * Rigid{of.R[j], of.p[j]};
        moved.R[j] = X.R;
        moved.p[j] = X.p;
    }
    const BodySkin own = skin_of(of_, moved, &of_hand_), other = skin_of(on_, on, &of_other_);
    std::vector<std::array<Vec3, 3>> near;
    for (const auto& corners : triangles_) {
        std::array<Vec3, 3> at;
        for (size_t k = 0; k < 3; ++k) at[k] = other[corners[k].mesh][corners[k].vertex];
        if ((at[0] - X_WH.p).norm() < about_hand_m) near.push_back(at);
    }
    if (near.empty()) return Vec3::Zero();
    const TrianglePatches over(near);
    // From outside inward by what is free, so that no skin is passed on the way.
    for (double from = start_off_m;; from += start_off_m) {
        double off = from;
        std::vector<double> free_of(vertices_.size());  // what each can move at least
        bool is_outside = true;
        for (size_t i = 0; i < vertices_.size() && is_outside; ++i) {
            free_of[i] = over.height(own[vertices_[i].mesh][vertices_[i].vertex] + off * out, hand_reach_m).m;
            is_outside = free_of[i] >= near_enough_m;
        }
        if (!is_outside && from < most_off_m) continue;
        for (int step = 0; step < most_steps && is_outside; ++step) {
            double free = hand_reach_m;
            for (size_t i = 0; i < vertices_.size(); ++i) {
                if (free_of[i] >= free) continue;
                if (step > 0)
                    free_of[i] = std::abs(
                        over.height(own[vertices_[i].mesh][vertices_[i].vertex] + off * out, free).m);
                free = std::min(free, free_of[i]);
            }
            if (free < near_enough_m || off < -hand_reach_m) break;
            off -= free;
            for (double& one : free_of) one -= free;
        }
        return off < -hand_reach_m || !is_outside ? Vec3(Vec3::Zero()) : Vec3((off - pressed_m) * out);
    }
}

SpacedShifts::SpacedShifts(double first_s, double last_s, const std::function<Vec3(double)>& find)
    : first_s_(first_s) {
    const int steps = std::max(1, int(std::lround((last_s - first_s) / looks_at_hand_s)));
    step_s_ = std::max(1e-6, (last_s - first_s) / steps);
    shifts_.resize(size_t(steps) + 1);
    for_each_frame(steps + 1, 0, [&](int from, int to) {
        for (int i = from; i < to; ++i) shifts_[size_t(i)] = find(first_s + i * step_s_);
    });
}

Vec3 SpacedShifts::at(double scene_s) const {
    const double at = std::clamp((scene_s - first_s_) / step_s_, 0.0, double(shifts_.size() - 1));
    const size_t before = std::min(size_t(std::floor(at)), shifts_.size() - 2);
    const double u = smooth_step(at - double(before));
    return (1.0 - u) * shifts_[before] + u * shifts_[before + 1];
}

}  // namespace nb
