#include "core/math/banded.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

namespace {

/// Rows of the band one after the other, each from `half` left of the diagonal to the diagonal. `half_of` is half, as
/// a constant where it can be one: the innermost loops are short and all of the work.
template <typename Half>
bool solve(double* band, Half half_of, double* b, int n) {
    const int half = half_of;
    const int row = half + 1;
    std::vector<double> column(size_t(half) + 1);
    double* const c = column.data();  // L[j + k][j]
    for (int j = 0; j < n; ++j) {
        double* const L_j = band + size_t(j) * size_t(row);
        const double pivot = L_j[half];
        if (!(pivot > 0.0 && std::isfinite(pivot))) return false;
        // The diagonal is kept as its inverse.
        L_j[half] = 1.0 / std::sqrt(pivot);
        // What column j takes from the triangle below it at once: the updates do not wait for each other.
        const int below = std::min(half, n - 1 - j);
        double* L_i = L_j;
        for (int k = 1; k <= below; ++k) {
            L_i += row;
            double* const at = L_i + half - k;  // A[j + k][j]
            c[k] = *at *= L_j[half];
            for (int m = 1; m <= k; ++m) at[m] -= c[k] * c[m];
        }
    }
    for (int i = 0; i < n; ++i) {
        const double* const L_i = band + size_t(i) * size_t(row);
        double sum = b[i];
        for (int m = std::max(0, i - half); m < i; ++m) sum -= L_i[m - i + half] * b[m];
        b[i] = sum * L_i[half];
    }
    // Column by column, so that rows are read as they lie.
    for (int i = n - 1; i >= 0; --i) {
        const double* const L_i = band + size_t(i) * size_t(row);
        b[i] *= L_i[half];
        for (int m = std::max(0, i - half); m < i; ++m) b[m] -= L_i[m - i + half] * b[i];
    }
    return true;
}

}  // namespace

bool solve_banded(std::vector<double>& band, int half, std::vector<double>& b) {
    const int n = int(b.size());
    if (half == 6) return solve(band.data(), std::integral_constant<int, 6>(), b.data(), n);
    if (half == 8) return solve(band.data(), std::integral_constant<int, 8>(), b.data(), n);
    return solve(band.data(), half, b.data(), n);
}

FrameSystem::FrameSystem(int frames, int width) : frames_(frames), width_(width) {
    clear();
}

void FrameSystem::clear() {
    const size_t unknowns = size_t(frames_) * size_t(width_);
    band_.assign(unknowns * size_t(half() + 1), 0.0);
    b_.assign(unknowns, 0.0);
}

void FrameSystem::add_smoothness(double smooth) {
    constexpr double second[3] = {1.0, -2.0, 1.0};
    for (int t = 1; t + 1 < frames_; ++t)
        for (int k = 0; k < width_; ++k)
            for (int i = 0; i < 3; ++i)
                for (int j = 0; j <= i; ++j)
                    add(width_ * (t - 1 + i) + k, width_ * (t - 1 + j) + k, smooth * second[i] * second[j]);
}

}  // namespace nb
