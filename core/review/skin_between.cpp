#include "core/review/skin_between.hpp"

#include <Eigen/Geometry>
#include <algorithm>
#include <string>

#include "core/body/carried.hpp"
#include "core/math/triangle_patches.hpp"

namespace nb {

namespace {

constexpr double surely_sunk_m = 0.01;  // deeper: looked at twice

using Box = Eigen::AlignedBox3d;

Box widened(const Box& box, double by_m) {
    return box.isEmpty() ? box : Box(box.min().array() - by_m, box.max().array() + by_m);
}

Box box_about(const BodySkin& skin) {
    Box box;
    for (const std::vector<Vec3>& mesh : skin)
        for (const Vec3& p : mesh) box.extend(p);
    return box;
}

/// Triangles in a pose, those that come into a box.
std::vector<std::array<Vec3, 3>> placed(const std::vector<std::array<SkinCorner, 3>>& triangles,
                                        const BodySkin& skin, const Box& box) {
    std::vector<std::array<Vec3, 3>> all;
    for (const auto& [a, b, c] : triangles) {
        const std::array<Vec3, 3> at{skin[a.mesh][a.vertex], skin[b.mesh][b.vertex], skin[c.mesh][c.vertex]};
        if (Box(at[0].cwiseMin(at[1]).cwiseMin(at[2]), at[0].cwiseMax(at[1]).cwiseMax(at[2])).intersects(box))
            all.push_back(at);
    }
    return all;
}

}  // namespace

SkinBetween::SkinBetween(const Character& of, const Character& on) : triangles_(body_triangles(on)) {
    const Skeleton skeleton = carried_skeleton(of.rig.skeleton, of.roles);
    std::vector<size_t> kind_of(size_t(skeleton.size()), 0);  // 0 the body, 1 left hand, 2 right hand
    for (const size_t side : {size_t(0), size_t(1)}) {
        const int hand = of.roles.joint(side == 0 ? "hand.left" : "hand.right");
        for (int j = 0; j < skeleton.size() && hand >= 0; ++j)
            if (skeleton.is_ancestor(hand, j)) kind_of[size_t(j)] = side + 1;
    }
    const auto is_of_thing = vertices_of_things(of);
    for (std::uint32_t m = 0; m < of.rig.meshes.size(); ++m) {
        const Mesh& mesh = of.rig.meshes[m];
        if (mesh.skin.size() != mesh.positions.size()) continue;
        for (std::uint32_t v = 0; v < mesh.positions.size(); ++v) {
            if (is_of_thing[m][v]) continue;
            std::array<float, 3> by{};
            for (size_t i = 0; i < mesh.skin[v].weight.size(); ++i) {
                const int joint = mesh.palette[mesh.skin[v].palette[i]].joint;
                by[joint < 0 ? 0 : kind_of[size_t(joint)]] += mesh.skin[v].weight[i];
            }
            vertices_.push_back({{m, v}, int(std::max_element(by.begin(), by.end()) - by.begin()) - 1});
        }
    }
}

SkinBetween::Reading SkinBetween::read(const BodySkin& of, const BodySkin& on, double reach_m) const {
    Reading reading;
    reading.gap_m = {reach_m, reach_m};
    if (is_empty()) return reading;
    // What of the one is near the other, and what of that one is near those.
    const Box about = widened(box_about(on), reach_m);
    std::vector<const Vertex*> near;
    Box of_near;
    for (const Vertex& vertex : vertices_) {
        const Vec3& q = of[vertex.at.mesh][vertex.at.vertex];
        if (!about.contains(q)) continue;
        near.push_back(&vertex);
        of_near.extend(q);
    }
    if (near.empty()) return reading;
    const auto triangles = placed(triangles_, on, widened(of_near, reach_m));
    const TrianglePatches over(triangles);
    Box on_near;
    for (const auto& corners : triangles)
        for (const Vec3& corner : corners) on_near.extend(corner);
    on_near = widened(on_near, reach_m);
    struct Sunk {
        double height;
        Vec3 at;
        int hand;
    };
    std::vector<Sunk> sunk;
    for (const Vertex* vertex : near) {
        const Vec3& q = of[vertex->at.mesh][vertex->at.vertex];
        if (!on_near.contains(q)) continue;
        // What is farther inside than the reach has skin beside it that is not.
        const double height = over.height(q, reach_m).m;
        if (height < 0.0)
            sunk.push_back({height, q, vertex->hand});
        else if (vertex->hand >= 0)
            reading.gap_m[size_t(vertex->hand)] = std::min(reading.gap_m[size_t(vertex->hand)], height);
    }
    // The deepest first: one of each that is inside indeed is enough.
    std::sort(sunk.begin(), sunk.end(), [](const Sunk& a, const Sunk& b) { return a.height < b.height; });
    for (const Sunk& one : sunk) {
        const bool is_deeper = -one.height > reading.deepest_m;
        const bool is_hand_deeper = one.hand >= 0 && one.height < reading.gap_m[size_t(one.hand)];
        if (!is_deeper && !is_hand_deeper) continue;
        const bool is_in = one.height > -surely_sunk_m || encloses(triangles_, on, one.at);
        const double height = is_in ? one.height : -one.height;
        if (height < 0.0) reading.deepest_m = std::max(reading.deepest_m, -height);
        if (one.hand >= 0)
            reading.gap_m[size_t(one.hand)] = std::min(reading.gap_m[size_t(one.hand)], height);
    }
    return reading;
}

}  // namespace nb
