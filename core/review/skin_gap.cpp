#include "core/review/skin_gap.hpp"

#include <algorithm>
#include <cmath>
#include <span>
#include <string>
#include <utility>

#include "core/body/carried.hpp"
#include "core/math/triangle.hpp"

namespace nb {

namespace {

using Box = Eigen::AlignedBox3d;

constexpr double surely_m = 0.01;  // deeper: looked at twice
constexpr double as_near_m = 1e-7;
constexpr size_t together = 16;  // vertices that are looked for at once
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

struct Parts {
    std::vector<std::uint32_t> order;
    std::vector<std::pair<size_t, size_t>> ranges;  ///< of the order: first, and past the last
};

/// Places in parts of at most `most` that lie together: halved along the longest way, and again.
Parts in_parts(std::vector<Vec3> places, size_t most) {
    Parts parts;
    for (Vec3& p : places)
        if (!p.allFinite()) p = Vec3::Zero();
    for (std::uint32_t i = 0; i < places.size(); ++i) parts.order.push_back(i);
    std::vector<std::pair<size_t, size_t>> halves{{0, places.size()}};
    while (!halves.empty()) {
        const auto [first, last] = halves.back();
        halves.pop_back();
        if (last - first <= most) {
            if (first < last) parts.ranges.emplace_back(first, last);
            continue;
        }
        Box box;
        for (size_t i = first; i < last; ++i) box.extend(places[parts.order[i]]);
        Eigen::Index axis = 0;
        box.sizes().maxCoeff(&axis);
        const size_t middle = first + (last - first) / 2;
        const auto at = parts.order.begin();
        std::nth_element(at + std::ptrdiff_t(first), at + std::ptrdiff_t(middle), at + std::ptrdiff_t(last),
                         [&](std::uint32_t a, std::uint32_t b) { return places[a][axis] < places[b][axis]; });
        halves.emplace_back(middle, last);
        halves.emplace_back(first, middle);
    }
    return parts;
}

}  // namespace

struct SkinGauge::Placed {
    struct Triangle {
        Vec3 a, b, c, middle;
        double radius_m;
    };
    /// Triangles beside each other, all within a ball.
    struct Patch {
        size_t first, last;
        Ball ball;
    };
    const BodySkin& skin;
    std::vector<Triangle> triangles;
    std::vector<Patch> patches;
    const Vec3& at(const Corner& corner) const { return skin[corner.mesh][corner.vertex]; }
    double height(const Vec3& q, double reach_m) const;
    /// Those of the triangles that can be nearest to a point within `ball`; heights of such points over them are the
    /// same to the bit.
    void near(const Ball& ball, double reach_m, Placed& found) const;
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
        Parts parts = in_parts(std::move(places), together);
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
    const Parts parts = in_parts(std::move(middles), patch_size);
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

BodySkin skin_of(const Character& character, const Pose& pose, const std::vector<std::vector<char>>* which) {
    BodySkin skin;
    for (const Mesh& mesh : character.rig.meshes)
        skin.push_back(skin_vertices(mesh, pose, which ? &(*which)[skin.size()] : nullptr));
    return skin;
}

SkinGauge::Placed SkinGauge::place(const BodySkin& skin, const Vec3& about, double reach_m) const {
    Placed placed{skin, {}, {}};
    for (const Patch& patch : patches_) {
        Box box;
        for (const Corner& corner : patch.corners) box.extend(placed.at(corner));
        if (box.squaredExteriorDistance(about) > reach_m * reach_m) continue;
        const size_t from = placed.triangles.size();
        for (size_t i = patch.first; i < patch.last; ++i) {
            const auto& [a, b, c] = others_[i];
            Placed::Triangle one{placed.at(a), placed.at(b), placed.at(c), Vec3::Zero(), 0.0};
            one.middle = (one.a + one.b + one.c) / 3.0;
            one.radius_m =
                std::sqrt(std::max({(one.a - one.middle).squaredNorm(), (one.b - one.middle).squaredNorm(),
                                    (one.c - one.middle).squaredNorm()}));
            const double beyond = reach_m + one.radius_m;
            if ((one.middle - about).squaredNorm() < beyond * beyond) placed.triangles.push_back(one);
        }
        if (from < placed.triangles.size())
            placed.patches.push_back(
                {from, placed.triangles.size(), {box.center(), 0.5 * box.diagonal().norm()}});
    }
    return placed;
}

/// Height over triangles; the sign is that of the mean normal of all that are as near, so that edges and corners tell it,
/// too.
double SkinGauge::Placed::height(const Vec3& q, double reach_m) const {
    double least = reach_m;
    Vec3 way = Vec3::Zero();
    Vec3 out = Vec3::Zero();
    for (const Patch& patch : patches) {
        const double all_beyond = least + as_near_m + patch.ball.radius_m;
        if ((q - patch.ball.middle).squaredNorm() > all_beyond * all_beyond) continue;
        for (const Triangle& one : std::span(triangles).subspan(patch.first, patch.last - patch.first)) {
            const double beyond = least + as_near_m + one.radius_m;
            if ((q - one.middle).squaredNorm() > beyond * beyond) continue;
            const Vec3 to = q - nearest_on(q, one.a, one.b, one.c);
            const double d = to.norm();
            if (d > least + as_near_m) continue;
            if (d < least - as_near_m) out = Vec3::Zero();
            out += (one.b - one.a).cross(one.c - one.a).normalized();
            way = to;
            least = std::min(least, d);
        }
    }
    return way.dot(out) < 0.0 ? -least : least;
}

void SkinGauge::Placed::near(const Ball& ball, double reach_m, Placed& found) const {
    found.triangles.clear();
    found.patches.clear();
    const auto of = [&](const Patch& patch) {
        return std::span(triangles).subspan(patch.first, patch.last - patch.first);
    };
    // No point is farther from its nearest than the middle is from its own, and the way from there.
    double least = reach_m;
    std::vector<std::pair<double, const Patch*>> by_distance;
    by_distance.reserve(patches.size());
    for (const Patch& patch : patches) {
        const double distance = (ball.middle - patch.ball.middle).norm() - patch.ball.radius_m;
        if (distance <= reach_m + ball.radius_m + 2.0 * as_near_m) by_distance.emplace_back(distance, &patch);
    }
    std::sort(by_distance.begin(), by_distance.end());
    for (const auto& [distance, patch] : by_distance) {
        if (distance > least - ball.radius_m) break;
        for (const Triangle& one : of(*patch)) {
            const double nearer = least - one.radius_m - ball.radius_m;
            const double apart = (ball.middle - one.middle).squaredNorm();
            if (nearer > 0.0 && apart < nearer * nearer)
                least = std::sqrt(apart) + one.radius_m + ball.radius_m;
        }
    }
    const double within = least + ball.radius_m + 2.0 * as_near_m;
    for (const auto& [distance, patch] : by_distance) {
        if (distance > within) break;
        const size_t from = found.triangles.size();
        for (const Triangle& one : of(*patch)) {
            const double beyond = within + one.radius_m;
            if ((ball.middle - one.middle).squaredNorm() <= beyond * beyond) found.triangles.push_back(one);
        }
        if (from < found.triangles.size())
            found.patches.push_back({from, found.triangles.size(), patch->ball});
    }
}

SkinGauge::Ball SkinGauge::ball_about(const BodySkin& skin, std::span<const Corner> corners) {
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
    for (const Placed::Triangle& one : place(skin, Vec3::Zero(), all_m).triangles)
        all.push_back({one.a, one.b, one.c});
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
    Placed about{placed.skin, {}, {}}, nearest{placed.skin, {}, {}};
    // No vertex of a ball lies lower than its middle does, less the radius.
    const auto low_end = [&](const Placed& over, const Ball& ball) {
        return over.height(ball.middle, reach_m + ball.radius_m) - ball.radius_m;
    };
    const Ball all = ball_about(placed.skin, vertices.all);
    placed.near(all, reach_m, about);
    if (about.triangles.empty() || low_end(about, all) >= least) return least;
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
            const double height = nearest.height(placed.at(corner), reach_m);
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
    if (placed.triangles.empty()) return reading;
    reading.gap_m = lowest(placed, hand_, reach_m, most_m);
    reading.deepest_m = std::max({0.0, -reading.gap_m, -lowest(placed, forearm_, reach_m, 0.0)});
    return reading;
}

}  // namespace nb
