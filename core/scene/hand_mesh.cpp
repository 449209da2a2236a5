#include "core/scene/hand_mesh.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/parallel.hpp"
#include "core/body/carried.hpp"
#include "core/math/hermite.hpp"
#include "core/math/triangle_cells.hpp"

namespace nb {

namespace {

constexpr double hand_reach_m = 0.06;
constexpr double pressed_m = 0.001;
constexpr double start_off_m = 0.03, most_off_m = 0.12;
constexpr double near_enough_m = 5e-4;
constexpr double about_hand_m = 0.3;
constexpr double looks_at_hand_s = 0.12;
constexpr int most_steps = 60;

}  // namespace

Pose with_hand(const Cast& cast, Pose pose, int hand, const Rigid& X_WH) {
    const Skeleton tree = carried_skeleton(cast.target->rig.skeleton, cast.target->roles);
    const Rigid by = X_WH * inverse(Rigid{pose.R[size_t(hand)], pose.p[size_t(hand)]});
    for (int j = 0; j < tree.size(); ++j) {
        if (!tree.is_ancestor(tree.parents[size_t(hand)], j)) continue;
        const Rigid X = by * Rigid{pose.R[size_t(j)], pose.p[size_t(j)]};
        pose.R[size_t(j)] = X.R;
        pose.p[size_t(j)] = X.p;
    }
    return pose;
}

int frame_near(const Cast& cast, double scene_s) {
    const double f = (scene_s - cast.start_s) / cast.take->frame_time_s;
    return int(std::clamp(std::lround(f), 0L, long(cast.take->frames - 1)));
}

HandMesh::HandMesh(const Character& of, Side side, const Character& on)
    : of_(of), on_(on), triangles_(outward_triangles(on)) {
    const Skeleton tree = carried_skeleton(of.rig.skeleton, of.roles);
    hand_ = of.roles.joint("hand" + std::string(side_suffix(side)));
    if (hand_ < 0) return;
    std::vector<char> is_hand(size_t(tree.size()), 0);
    for (int j = 0; j < tree.size(); ++j)
        if (tree.is_ancestor(hand_, j)) is_hand[size_t(j)] = 1;
    for (size_t m = 0; m < of.rig.meshes.size(); ++m) {
        const Mesh& mesh = of.rig.meshes[m];
        if (mesh.skin.size() != mesh.positions.size()) continue;
        for (size_t v = 0; v < mesh.positions.size(); ++v) {
            float by_hand = 0.0F;
            for (size_t i = 0; i < mesh.skin[v].weight.size(); ++i) {
                const int joint = mesh.palette[mesh.skin[v].palette[i]].joint;
                if (joint >= 0 && is_hand[size_t(joint)]) by_hand += mesh.skin[v].weight[i];
            }
            if (by_hand > 0.5F) vertices_.push_back({m, v});
        }
    }
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
    const BodySkin own = skin_of(of_, moved), other = skin_of(on_, on);
    std::vector<std::array<Vec3, 3>> near;
    for (const auto& corners : triangles_) {
        std::array<Vec3, 3> at;
        for (size_t k = 0; k < 3; ++k) at[k] = other[corners[k].mesh][corners[k].vertex];
        if ((at[0] - X_WH.p).norm() < about_hand_m) near.push_back(at);
    }
    if (near.empty()) return Vec3::Zero();
    const TriangleCells cells(std::move(near), hand_reach_m);
    // From outside inward by what is free, so that no skin is passed on the way.
    for (double from = start_off_m;; from += start_off_m) {
        double off = from;
        double free = 0.0;
        const bool is_outside = std::none_of(vertices_.begin(), vertices_.end(), [&](const Vertex& vertex) {
            return cells.height(own[vertex.mesh][vertex.vertex] + off * out).m < near_enough_m;
        });
        if (!is_outside && from < most_off_m) continue;
        for (int step = 0; step < most_steps; ++step) {
            free = hand_reach_m;
            for (const Vertex& vertex : vertices_)
                free = std::min(free, std::abs(cells.height(own[vertex.mesh][vertex.vertex] + off * out).m));
            if (free < near_enough_m || off < -hand_reach_m) break;
            off -= free;
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
