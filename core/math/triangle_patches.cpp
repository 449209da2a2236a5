#include "core/math/triangle_patches.hpp"

#include <algorithm>
#include <cmath>
#include <span>

#include "core/math/triangle.hpp"

namespace nb {

namespace {

using Box = Eigen::AlignedBox3d;

constexpr double as_near_m = 1e-7;
constexpr size_t patch_size = 16;

}  // namespace

PlaceParts in_parts(std::vector<Vec3> places, size_t most) {
    PlaceParts parts;
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

TrianglePatches::Triangle::Triangle(const std::array<Vec3, 3>& corners)
    : a(corners[0]), b(corners[1]), c(corners[2]), middle((a + b + c) / 3.0) {
    radius_m = std::sqrt(
        std::max({(a - middle).squaredNorm(), (b - middle).squaredNorm(), (c - middle).squaredNorm()}));
}

TrianglePatches::TrianglePatches(const std::vector<std::array<Vec3, 3>>& triangles) {
    std::vector<Vec3> middles;
    middles.reserve(triangles.size());
    for (const auto& corners : triangles) middles.push_back(corners[0] + corners[1] + corners[2]);
    const PlaceParts parts = in_parts(std::move(middles), patch_size);
    triangles_.reserve(triangles.size());
    for (const auto& [first, last] : parts.ranges) {
        Box box;
        for (size_t i = first; i < last; ++i) {
            const auto& corners = triangles[parts.order[i]];
            for (const Vec3& corner : corners) box.extend(corner);
            add(Triangle(corners));
        }
        end_patch({box.center(), 0.5 * box.diagonal().norm()});
    }
}

void TrianglePatches::end_patch(const Ball& ball) {
    const size_t first = patches_.empty() ? 0 : patches_.back().last;
    if (first < triangles_.size()) patches_.push_back({first, triangles_.size(), ball});
}

TrianglePatches::Height TrianglePatches::height(const Vec3& q, double reach_m) const {
    Height found{reach_m, Vec3::Zero()};
    double least = reach_m;
    Vec3 way = Vec3::Zero();
    // Nothing of a patch is farther than its ball's other end: what begins beyond that is not looked at.
    double within = reach_m;
    for (const Patch& patch : patches_) {
        const double nearer = within - patch.ball.radius_m;
        const double apart = (q - patch.ball.middle).squaredNorm();
        if (nearer > 0.0 && apart < nearer * nearer) within = std::sqrt(apart) + patch.ball.radius_m;
    }
    within += 2.0 * as_near_m;
    for (const Patch& patch : patches_) {
        const double beyond = std::min(within, least + 2.0 * as_near_m) + patch.ball.radius_m;
        if ((q - patch.ball.middle).squaredNorm() > beyond * beyond) continue;
        for (size_t i = patch.first; i < patch.last; ++i) {
            const Triangle& one = triangles_[i];
            if (!one.is_within(q, std::min(within, least + 2.0 * as_near_m))) continue;
            const Vec3 to = q - nearest_on(q, one.a, one.b, one.c);
            const double distance = to.norm();
            if (distance > least + as_near_m) continue;
            if (distance < least - as_near_m) found.out = Vec3::Zero();
            found.out += (one.b - one.a).cross(one.c - one.a).normalized();
            way = to;
            least = std::min(least, distance);
        }
    }
    found.m = way.dot(found.out) < 0.0 ? -least : least;
    if (const double length = found.out.norm(); length > 1e-9) found.out /= length;
    return found;
}

void TrianglePatches::near(const Ball& ball, double reach_m, TrianglePatches& found) const {
    found.triangles_.clear();
    found.patches_.clear();
    const auto of = [&](const Patch& patch) {
        return std::span(triangles_).subspan(patch.first, patch.last - patch.first);
    };
    // No point is farther from its nearest than the middle is from its own, and the way from there.
    double least = reach_m;
    std::vector<std::pair<double, const Patch*>> by_distance;
    by_distance.reserve(patches_.size());
    for (const Patch& patch : patches_) {
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
        for (const Triangle& one : of(*patch))
            if (one.is_within(ball.middle, within)) found.add(one);
        found.end_patch(patch->ball);
    }
}

}  // namespace nb
