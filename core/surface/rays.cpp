#include "core/surface/rays.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

#include "core/math/at_share.hpp"
#include "core/math/quick_atan2.hpp"

namespace nb {

namespace {

constexpr double least_radius_m = 0.002;
constexpr size_t least_cells = PartSurface::rows * PartSurface::columns / 6;

using Grid = decltype(PartSurface::radius_m);

/// Empty cells take the mean of filled ones beside them, until none is empty. False when all are.
bool fill_holes(Grid& grid) {
    for (;;) {
        Grid next = grid;
        int filled = 0, holes = 0;
        for (int r = 0; r < PartSurface::rows; ++r)
            for (int c = 0; c < PartSurface::columns; ++c) {
                if (grid[size_t(r)][size_t(c)] > 0.0) continue;
                double sum = 0.0;
                int count = 0;
                const auto add = [&](int row, int column) {
                    if (row < 0 || row >= PartSurface::rows) return;
                    const double v =
                        grid[size_t(row)][size_t((column + PartSurface::columns) % PartSurface::columns)];
                    if (v <= 0.0) return;
                    sum += v;
                    ++count;
                };
                add(r, c - 1);
                add(r, c + 1);
                add(r - 1, c);
                add(r + 1, c);
                if (count > 0) {
                    next[size_t(r)][size_t(c)] = sum / count;
                    ++filled;
                } else {
                    ++holes;
                }
            }
        grid = next;
        if (holes == 0) return true;
        if (filled == 0) return false;
    }
}

void smooth(Grid& grid) {
    const Grid before = grid;
    for (int r = 0; r < PartSurface::rows; ++r)
        for (int c = 0; c < PartSurface::columns; ++c) {
            const auto at = [&](int row, int column) {
                return before[size_t(std::clamp(row, 0, PartSurface::rows - 1))]
                             [size_t((column + PartSurface::columns) % PartSurface::columns)];
            };
            grid[size_t(r)][size_t(c)] =
                0.5 * at(r, c) + 0.125 * (at(r - 1, c) + at(r + 1, c) + at(r, c - 1) + at(r, c + 1));
        }
}

/// Rays square to a part's bone, two by two a cell: how far out each leaves the skin; 0 where it meets none.
struct Rays {
    static constexpr int rows = 2 * PartSurface::rows, columns = 2 * PartSurface::columns;
    std::array<std::array<double, columns>, rows> out_m{};
};

/// Where a triangle crosses a plane square to z, seen along z.
std::optional<std::array<Eigen::Vector2d, 2>> crossed_by(const SkinTriangle& triangle, double z) {
    std::array<Eigen::Vector2d, 2> at;
    size_t found = 0;
    for (size_t k = 0; k < 3 && found < 2; ++k) {
        const Vec3& a = triangle[k];
        const Vec3& b = triangle[(k + 1) % 3];
        if ((a.z() <= z) == (b.z() <= z)) continue;
        at[found++] = a.head<2>() + (z - a.z()) / (b.z() - a.z()) * (b - a).head<2>();
    }
    if (found < 2) return {};
    return at;
}

double cross(const Eigen::Vector2d& a, const Eigen::Vector2d& b) {
    return a.x() * b.y() - a.y() * b.x();
}

bool is_finite(const SkinTriangle& triangle) {
    return Vec3(triangle[0] + triangle[1] + triangle[2]).allFinite();
}

/// The rays a triangle stops, in the part's frame.
void stop_rays(const SkinTriangle& triangle, double length_m, Rays& rays) {
    if (!is_finite(triangle)) return;
    const auto [low, high] = std::minmax({triangle[0].z(), triangle[1].z(), triangle[2].z()});
    const double row_m = length_m / Rays::rows, turn = 2.0 * pi / Rays::columns;
    const int first = int(std::clamp(std::ceil(low / row_m - 0.5), 0.0, double(Rays::rows)));
    const int last = int(std::clamp(std::floor(high / row_m - 0.5), -1.0, Rays::rows - 1.0));
    for (int row = first; row <= last; ++row) {
        const auto crossed = crossed_by(triangle, (row + 0.5) * row_m);
        if (!crossed) continue;
        auto [a, b] = *crossed;
        if (cross(a, b) < 0.0) std::swap(a, b);
        const double wide = cross(a, b);
        const double from = quick_atan2(a.y(), a.x());
        const double about = quick_atan2(wide, a.dot(b));
        for (int k = int(std::ceil(from / turn - 0.5)); (k + 0.5) * turn <= from + about; ++k) {
            const double phi = (k + 0.5) * turn;
            const double across = cross({std::cos(phi), std::sin(phi)}, b - a);
            if (across <= 0.0) continue;
            double& out = rays.out_m[size_t(row)][size_t((k + 2 * Rays::columns) % Rays::columns)];
            out = std::max(out, wide / across);
        }
    }
}

/// Cells that no ray has met take how far out corners in them lie: the rim of what goes on as another part's skin.
void read_rims(const std::vector<SkinTriangle>& triangles, double length_m, Grid& grid) {
    constexpr double share = 0.9;
    std::array<bool, PartSurface::rows> has_holes{};
    for (size_t r = 0; r < grid.size(); ++r)
        has_holes[r] = std::any_of(grid[r].begin(), grid[r].end(), [](double v) { return v <= 0.0; });
    std::map<std::pair<int, int>, std::vector<double>> rims;
    for (const SkinTriangle& triangle : triangles) {
        if (!is_finite(triangle)) continue;
        for (const Vec3& u : triangle) {
            const double s = u.z() / length_m;
            if (s < 0.0 || s > 1.0) continue;
            const int r = std::min(int(s * PartSurface::rows), PartSurface::rows - 1);
            if (!has_holes[size_t(r)]) continue;
            const double turn = (quick_atan2(u.y(), u.x()) + 2.0 * pi) / (2.0 * pi);
            const int c = int(turn * PartSurface::columns) % PartSurface::columns;
            if (grid[size_t(r)][size_t(c)] <= 0.0) rims[{r, c}].push_back(u.head<2>().norm());
        }
    }
    for (auto& [cell, radii] : rims)
        grid[size_t(cell.first)][size_t(cell.second)] = std::max(least_radius_m, at_share(radii, share));
}

}  // namespace

std::optional<Grid> radii_of(const std::vector<SkinTriangle>& triangles_F, double length_m) {
    Rays rays;
    for (const SkinTriangle& triangle : triangles_F) stop_rays(triangle, length_m, rays);
    Grid grid{};
    size_t met = 0;
    for (size_t r = 0; r < grid.size(); ++r)
        for (size_t c = 0; c < grid[r].size(); ++c) {
            double sum = 0.0;
            int count = 0;
            for (const size_t i : {0, 1})
                for (const size_t k : {0, 1})
                    if (const double out = rays.out_m[2 * r + i][2 * c + k]; out > 0.0) {
                        sum += out;
                        ++count;
                    }
            if (count == 0) continue;
            grid[r][c] = std::max(least_radius_m, sum / count);
            ++met;
        }
    if (met < least_cells) return {};
    read_rims(triangles_F, length_m, grid);
    if (!fill_holes(grid)) return {};
    smooth(grid);
    return grid;
}

}  // namespace nb
