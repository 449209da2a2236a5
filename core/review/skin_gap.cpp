#include "core/review/skin_gap.hpp"

#include <algorithm>
#include <cmath>
#include <span>
#include <string>
#include <utility>

#include "core/body/carried.hpp"
#include "core/rest/evidence.hpp"

namespace nb {

namespace {

using Box = Eigen::AlignedBox3d;

constexpr double surely_m = 0.01;  // deeper: looked at twice
constexpr size_t together = 16;    // vertices that are looked for at once
constexpr size_t patch_size = 32;

/// What most of a vertex's weight goes to, among joints that have a mark: 0 none.
int mark_of(const Mesh& mesh, std::uint32_t vertex, const std::vector<char>& marks) {
    std::array<float, 8> by{};
    const VertexSkin& skin = mesh.skin[vertex];
    for (size_t i = 0; i < skin.weight.size(); ++i) {
        if (skin.weight[i] <= 0.0F) continue;
        const int joint = mesh.palette[skin.palette[i]].joint;
        by[size_t(joint < 0 ? 0 : marks[size_t(joint)])] += skin.weight[i];
    }
    return int(std::max_element(by.begin(), by.end()) - by.begin());
}

/// Whether triangles of a mesh turn their inside out: what they enclose is below 0, seen from their middle.
bool is_inside_out(const Mesh& mesh, const std::vector<Vec3>& skin) {
    Vec3 middle = Vec3::Zero();
    for (const Vec3& p : skin) middle += p / double(skin.size());
    double volume = 0.0;
    for (size_t i = 0; i + 2 < mesh.indices.size(); i += 3) {
        const auto at = [&](size_t k) -> Vec3 { return skin[mesh.indices[i + k]] - middle; };
        volume += at(0).dot(at(1).cross(at(2)));
    }
    return volume < 0.0;
}

}  // namespace

struct SkinGauge::Placed {
    const BodySkin& skin;
    TrianglePatches over;
    const Vec3& at(const Corner& corner) const { return skin[corner.mesh][corner.vertex]; }
    double height(const Vec3& q, double reach_m) const { return over.height(q, reach_m).m; }
};

SkinGauge::SkinGauge(const Character& character, Side side) : character_(character) {
    const std::string suffix(side_suffix(side));
    // Limbs in pieces hang together as they are carried.
    const Skeleton skeleton = carried_skeleton(character.rig.skeleton, character.roles);
    const int hand_joint = character.roles.joint("hand" + suffix);
    const int forearm = character.roles.joint("forearm" + suffix);
    const int upper = character.roles.joint("upperarm" + suffix);
    if (hand_joint < 0 || forearm < 0 || upper < 0) return;
    enum : char { body, upper_arm, lower_arm, hand, thing };
    std::vector<char> marks(size_t(skeleton.size()), body);
    const std::vector<char> is_thing = thing_joints(skeleton, character.roles);
    for (int j = 0; j < skeleton.size(); ++j) {
        if (is_thing[size_t(j)])
            marks[size_t(j)] = thing;
        else if (skeleton.is_ancestor(hand_joint, j))
            marks[size_t(j)] = hand;
        else if (skeleton.is_ancestor(forearm, j))
            marks[size_t(j)] = lower_arm;
        else if (skeleton.is_ancestor(upper, j))
            marks[size_t(j)] = upper_arm;
    }
    std::vector<std::vector<int>> own(character.rig.meshes.size());
    for (std::uint32_t m = 0; m < own.size(); ++m) {
        const Mesh& mesh = character.rig.meshes[m];
        if (mesh.skin.size() != mesh.positions.size()) continue;
        own[m].resize(mesh.positions.size());
        for (std::uint32_t v = 0; v < own[m].size(); ++v) {
            own[m][v] = mark_of(mesh, v, marks);
            if (own[m][v] == hand) hand_.all.push_back({m, v});
            if (own[m][v] == lower_arm) forearm_.all.push_back({m, v});
        }
    }
    others_ = outward_triangles(character);
    std::erase_if(others_, [&](const std::array<Corner, 3>& corners) {
        return std::any_of(corners.begin(), corners.end(),
                           [&](const Corner& corner) { return own[corner.mesh][corner.vertex] != body; });
    });
    const BodySkin at_rest = skin_of(character, rest_pose(character.rig.skeleton));
    for (Vertices* vertices : {&hand_, &forearm_}) {
        std::vector<Vec3> places;
        for (const Corner& corner : vertices->all) places.push_back(at_rest[corner.mesh][corner.vertex]);
        PlaceParts parts = in_parts(std::move(places), together);
        const std::vector<Corner> unsorted = std::exchange(vertices->all, {});
        for (const std::uint32_t i : parts.order) vertices->all.push_back(unsorted[i]);
        vertices->parts = std::move(parts.ranges);
    }
    make_patches(at_rest);
}

void SkinGauge::make_patches(const BodySkin& at_rest) {
    std::vector<Vec3> middles;
    for (const auto& [a, b, c] : others_)
        middles.push_back(at_rest[a.mesh][a.vertex] + at_rest[b.mesh][b.vertex] + at_rest[c.mesh][c.vertex]);
    const PlaceParts parts = in_parts(std::move(middles), patch_size);
    for (const auto& [first, last] : parts.ranges) patches_.push_back({first, last, {}});
    const auto unsorted = others_;
    for (size_t i = 0; i < others_.size(); ++i) others_[i] = unsorted[parts.order[i]];
    for (Patch& patch : patches_) {
        for (size_t i = patch.first; i < patch.last; ++i)
            patch.corners.insert(patch.corners.end(), others_[i].begin(), others_[i].end());
        std::sort(patch.corners.begin(), patch.corners.end());
        patch.corners.erase(std::unique(patch.corners.begin(), patch.corners.end()), patch.corners.end());
    }
}

std::vector<std::array<SkinCorner, 3>> outward_triangles(const Character& character) {
    std::vector<std::array<SkinCorner, 3>> all;
    const BodySkin at_rest = skin_of(character, rest_pose(character.rig.skeleton));
    for (std::uint32_t m = 0; m < character.rig.meshes.size(); ++m) {
        const Mesh& mesh = character.rig.meshes[m];
        if (mesh.skin.size() != mesh.positions.size()) continue;
        const bool is_turned = is_inside_out(mesh, at_rest[m]);
        for (size_t i = 0; i + 2 < mesh.indices.size(); i += 3)
            all.push_back({SkinCorner{m, mesh.indices[i]},
                           SkinCorner{m, mesh.indices[i + (is_turned ? 2 : 1)]},
                           SkinCorner{m, mesh.indices[i + (is_turned ? 1 : 2)]}});
    }
    return all;
}

std::vector<std::vector<char>> vertices_of_things(const Character& character) {
    const std::vector<char> is_thing =
        thing_joints(carried_skeleton(character.rig.skeleton, character.roles), character.roles);
    std::vector<std::vector<char>> all;
    for (const Mesh& mesh : character.rig.meshes) {
        std::vector<char>& own = all.emplace_back(mesh.positions.size(), 0);
        if (mesh.skin.size() != mesh.positions.size()) continue;
        for (size_t v = 0; v < own.size(); ++v)
            if (const int joint = carries_most(mesh, v); joint >= 0) own[v] = is_thing[size_t(joint)];
    }
    return all;
}

std::vector<std::array<SkinCorner, 3>> body_triangles(const Character& character) {
    std::vector<std::array<SkinCorner, 3>> triangles = outward_triangles(character);
    const auto is_of_thing = vertices_of_things(character);
    std::erase_if(triangles, [&](const std::array<SkinCorner, 3>& corners) {
        return std::any_of(corners.begin(), corners.end(), [&](const SkinCorner& corner) {
            return is_of_thing[corner.mesh][corner.vertex] != 0;
        });
    });
    return triangles;
}

BodySkin skin_of(const Character& character, const Pose& pose, const std::vector<std::vector<char>>* which) {
    BodySkin skin;
    for (const Mesh& mesh : character.rig.meshes)
        skin.push_back(skin_vertices(mesh, pose, which ? &(*which)[skin.size()] : nullptr));
    return skin;
}

SkinGauge::Placed SkinGauge::place(const BodySkin& skin, const Vec3& about, double reach_m) const {
    Placed placed{skin, {}};
    for (const Patch& patch : patches_) {
        Box box;
        for (const Corner& corner : patch.corners) box.extend(placed.at(corner));
        if (box.squaredExteriorDistance(about) > reach_m * reach_m) continue;
        for (size_t i = patch.first; i < patch.last; ++i) {
            const auto& [a, b, c] = others_[i];
            const TrianglePatches::Triangle one({placed.at(a), placed.at(b), placed.at(c)});
            if (one.is_within(about, reach_m)) placed.over.add(one);
        }
        placed.over.end_patch({box.center(), 0.5 * box.diagonal().norm()});
    }
    return placed;
}

Ball SkinGauge::ball_about(const BodySkin& skin, std::span<const Corner> corners) {
    Ball ball;
    for (const Corner& corner : corners)
        ball.middle += skin[corner.mesh][corner.vertex] / double(corners.size());
    double largest = 0.0;
    for (const Corner& corner : corners)
        largest = std::max(largest, (skin[corner.mesh][corner.vertex] - ball.middle).squaredNorm());
    ball.radius_m = std::sqrt(largest);
    return ball;
}

std::vector<std::array<Vec3, 3>> SkinGauge::triangles(const Pose& pose) const {
    constexpr double all_m = 1e30;
    std::vector<std::array<Vec3, 3>> all;
    const BodySkin skin = skin_of(character_, pose);
    const Placed placed = place(skin, Vec3::Zero(), all_m);
    for (const TrianglePatches::Triangle& one : placed.over.triangles()) all.push_back({one.a, one.b, one.c});
    return all;
}

std::vector<Vec3> SkinGauge::hand_vertices(const Pose& pose) const {
    const BodySkin skin = skin_of(character_, pose);
    std::vector<Vec3> vertices;
    for (const Corner& corner : hand_.all) vertices.push_back(skin[corner.mesh][corner.vertex]);
    return vertices;
}

bool encloses(const std::vector<std::array<SkinCorner, 3>>& triangles, const BodySkin& skin, const Vec3& q) {
    double turns = 0.0;
    for (const auto& corners : triangles) {
        const auto at = [&](size_t k) { return Vec3(skin[corners[k].mesh][corners[k].vertex] - q); };
        const Vec3 a = at(0), b = at(1), c = at(2);
        const double l = a.norm(), m = b.norm(), n = c.norm();
        turns += std::atan2(a.dot(b.cross(c)), l * m * n + a.dot(b) * n + b.dot(c) * l + c.dot(a) * m);
    }
    return turns > pi;  // 2 pi once around
}

double SkinGauge::lowest(const Placed& placed, const Vertices& vertices, double reach_m,
                         double most_m) const {
    double least = most_m;
    std::vector<std::pair<double, const Corner*>> deep;
    TrianglePatches about, nearest;
    // No vertex of a ball lies lower than its middle does, less the radius.
    const auto low_end = [&](const TrianglePatches& over, const Ball& ball) {
        return over.height(ball.middle, reach_m + ball.radius_m).m - ball.radius_m;
    };
    const Ball all = ball_about(placed.skin, vertices.all);
    placed.over.near(all, reach_m, about);
    if (about.is_empty() || low_end(about, all) >= least) return least;
    struct Group {
        double low_m;
        std::span<const Corner> corners;
        Ball ball;
    };
    std::vector<Group> groups;
    groups.reserve(vertices.parts.size());
    for (const auto& [first, last] : vertices.parts) {
        const auto some = std::span(vertices.all).subspan(first, last - first);
        const Ball ball = ball_about(placed.skin, some);
        if (const double low = low_end(about, ball); low < least) groups.push_back({low, some, ball});
    }
    std::sort(groups.begin(), groups.end(), [](const Group& a, const Group& b) { return a.low_m < b.low_m; });
    for (const auto& [low_m, some, ball] : groups) {
        if (low_m >= least) break;
        about.near(ball, reach_m, nearest);
        for (const Corner& corner : some) {
            const double height = nearest.height(placed.at(corner), reach_m).m;
            if (height < -surely_m)
                deep.emplace_back(height, &corner);
            else
                least = std::min(least, height);
        }
    }
    std::sort(deep.begin(), deep.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (const auto& [height, corner] : deep) {
        if (is_inside(placed.skin, placed.at(*corner))) return height;
        least = std::min(least, -height);
    }
    return least;
}

double SkinGauge::over(const Vec3& p_W, const Pose& pose, double reach_m) const {
    const BodySkin skin = skin_of(character_, pose);
    const double height = place(skin, p_W, reach_m).height(p_W, reach_m);
    return height < -surely_m && !is_inside(skin, p_W) ? -height : height;
}

SkinGauge::Reading SkinGauge::read(const Pose& pose, double reach_m) const {
    return is_empty() ? Reading{reach_m, 0.0} : read(skin_of(character_, pose), reach_m);
}

SkinGauge::Reading SkinGauge::read(const BodySkin& skin, double reach_m) const {
    return read(skin, reach_m, reach_m);
}

SkinGauge::Reading SkinGauge::read_depth(const BodySkin& skin, double reach_m) const {
    return read(skin, reach_m, 0.0);
}

SkinGauge::Reading SkinGauge::read(const BodySkin& skin, double reach_m, double most_m) const {
    Reading reading{most_m, 0.0};
    if (is_empty()) return reading;
    const Ball hand = ball_about(skin, hand_.all);
    const Ball forearm = ball_about(skin, forearm_.all);
    const double to_forearm = (forearm.middle - hand.middle).norm() + forearm.radius_m;
    const Placed placed =
        place(skin, hand.middle, reach_m + std::max(hand.radius_m, forearm_.all.empty() ? 0.0 : to_forearm));
    if (placed.over.is_empty()) return reading;
    reading.gap_m = lowest(placed, hand_, reach_m, most_m);
    reading.deepest_m = std::max({0.0, -reading.gap_m, -lowest(placed, forearm_, reach_m, 0.0)});
    return reading;
}

}  // namespace nb
