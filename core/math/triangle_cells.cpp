#include "core/math/triangle_cells.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/math/triangle.hpp"

namespace nb {

namespace {

long long key_of_cell(int x, int y, int z) {
    constexpr long long wide = 1 << 20;
    return ((x + wide / 2) * wide + (y + wide / 2)) * wide + (z + wide / 2);
}

}  // namespace

TriangleCells::TriangleCells(std::vector<std::array<Vec3, 3>> triangles, double reach_m)
    : all_(std::move(triangles)), reach_m_(reach_m) {
    balls_.reserve(all_.size());
    for (int index = 0; index < int(all_.size()); ++index) {
        const auto& at = all_[size_t(index)];
        const Vec3 middle = (at[0] + at[1] + at[2]) / 3.0;
        balls_.push_back(
            {middle, std::sqrt(std::max({(at[0] - middle).squaredNorm(), (at[1] - middle).squaredNorm(),
                                         (at[2] - middle).squaredNorm()}))});
        const Vec3 low = at[0].cwiseMin(at[1]).cwiseMin(at[2]), high = at[0].cwiseMax(at[1]).cwiseMax(at[2]);
        low_ = low_.cwiseMin(low);
        high_ = high_.cwiseMax(high);
        const auto a = cell(low), b = cell(high);
        for (int x = a[0]; x <= b[0]; ++x)
            for (int y = a[1]; y <= b[1]; ++y)
                for (int z = a[2]; z <= b[2]; ++z) cells_[key_of_cell(x, y, z)].push_back(index);
    }
}

std::array<int, 3> TriangleCells::cell(const Vec3& p) const {
    constexpr double far = 1 << 18;
    const auto of = [&](double v) { return int(std::clamp(std::floor(v / reach_m_), -far, far)); };
    return {of(p.x()), of(p.y()), of(p.z())};
}

bool TriangleCells::is_near(const Vec3& q, double margin_m) const {
    return ((q - low_).array() > -margin_m).all() && ((high_ - q).array() > -margin_m).all();
}

TriangleCells::Height TriangleCells::height(const Vec3& q) const {
    constexpr double as_near_m = 1e-7;
    Height found{reach_m_, Vec3::Zero()};
    double least = reach_m_;
    Vec3 way = Vec3::Zero();
    std::array<const std::vector<int>*, 27> near{};
    size_t count = 0;
    const auto c = cell(q);
    for (int x = c[0] - 1; x <= c[0] + 1; ++x)
        for (int y = c[1] - 1; y <= c[1] + 1; ++y)
            for (int z = c[2] - 1; z <= c[2] + 1; ++z)
                if (const auto here = cells_.find(key_of_cell(x, y, z)); here != cells_.end())
                    near[count++] = &here->second;
    // No triangle is farther than its ball's middle and the radius: what begins beyond that is not looked at.
    double within = reach_m_;
    for (size_t k = 0; k < count; ++k)
        for (const int i : *near[k]) {
            const Ball& ball = balls_[size_t(i)];
            const double nearer = within - ball.radius_m;
            const double apart = (q - ball.middle).squaredNorm();
            if (nearer > 0.0 && apart < nearer * nearer) within = std::sqrt(apart) + ball.radius_m;
        }
    within += 2.0 * as_near_m;
    for (size_t k = 0; k < count; ++k)
        for (const int i : *near[k]) {
            const Ball& ball = balls_[size_t(i)];
            const double beyond = std::min(within, least + 2.0 * as_near_m) + ball.radius_m;
            if ((q - ball.middle).squaredNorm() > beyond * beyond) continue;
            const auto& [a, b, d] = all_[size_t(i)];
            const Vec3 to = q - nearest_on(q, a, b, d);
            const double distance = to.norm();
            if (distance > least + as_near_m) continue;
            if (distance < least - as_near_m) found.out = Vec3::Zero();
            found.out += (b - a).cross(d - a).normalized();
            way = to;
            least = std::min(least, distance);
        }
    found.m = way.dot(found.out) < 0.0 ? -least : least;
    if (found.out.norm() > 1e-9) found.out.normalize();
    return found;
}

}  // namespace nb
