#include "core/review/skin_between.hpp"

#include <algorithm>
#include <string>

#include "core/body/carried.hpp"
#include "core/math/triangle_cells.hpp"

namespace nb {

namespace {

constexpr double surely_sunk_m = 0.01;  // deeper: looked at twice

/// Triangles in a pose.
std::vector<std::array<Vec3, 3>> placed(const std::vector<std::array<SkinCorner, 3>>& triangles,
                                        const BodySkin& skin) {
    std::vector<std::array<Vec3, 3>> all;
    all.reserve(triangles.size());
    for (const auto& [a, b, c] : triangles)
        all.push_back({skin[a.mesh][a.vertex], skin[b.mesh][b.vertex], skin[c.mesh][c.vertex]});
    return all;
}

}  // namespace

SkinBetween::SkinBetween(const Character& of, const Character& on) : triangles_(outward_triangles(on)) {
    const Skeleton skeleton = carried_skeleton(of.rig.skeleton, of.roles);
    std::vector<size_t> kind_of(size_t(skeleton.size()), 0);  // 0 the body, 1 left hand, 2 right hand
    for (const size_t side : {size_t(0), size_t(1)}) {
        const int hand = of.roles.joint(side == 0 ? "hand.left" : "hand.right");
        for (int j = 0; j < skeleton.size() && hand >= 0; ++j)
            if (skeleton.is_ancestor(hand, j)) kind_of[size_t(j)] = side + 1;
    }
    for (std::uint32_t m = 0; m < of.rig.meshes.size(); ++m) {
        const Mesh& mesh = of.rig.meshes[m];
        if (mesh.skin.size() != mesh.positions.size()) continue;
        for (std::uint32_t v = 0; v < mesh.positions.size(); ++v) {
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
    const TriangleCells cells(placed(triangles_, on), reach_m);
    struct Sunk {
        double height;
        Vec3 at;
        int hand;
    };
    std::vector<Sunk> sunk;
    for (const Vertex& vertex : vertices_) {
        const Vec3& q = of[vertex.at.mesh][vertex.at.vertex];
        if (!cells.is_near(q, reach_m)) continue;
        // What is farther inside than the reach has skin beside it that is not.
        const double height = cells.height(q).m;
        if (height < 0.0)
            sunk.push_back({height, q, vertex.hand});
        else if (vertex.hand >= 0)
            reading.gap_m[size_t(vertex.hand)] = std::min(reading.gap_m[size_t(vertex.hand)], height);
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
