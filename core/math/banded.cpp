#include "core/math/banded.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

namespace {

/// Column j of A = L D L^T and of L y = b, taken off the `below` rows under it at once: what is taken does not wait for each
/// other. Rows of the band one after the other, each from `half` left of the diagonal to the diagonal, where 1 / D is kept (no
/// root has to be waited for). `below_of` and `half_of` are constants where they can be: the innermost loops are short and all of
/// the work.
template <typename Below, typename Half>
bool eliminate(double* A_j, double* y_j, Below below_of, Half half_of, double* l) {
    const int below = below_of, half = half_of, row = half + 1;
    const double pivot = A_j[half];
    if (!(pivot > 0.0 && std::isfinite(pivot))) return false;
    const double inverse = A_j[half] = 1.0 / pivot;
    const double y = y_j[0];
#pragma GCC unroll 8
    for (int k = 1; k <= below; ++k) {
        double* const at = A_j + k * row + half - k;  // A[j + k][j], then L[j + k][j]
        const double a = *at;
        l[k] = *at = a * inverse;
#pragma GCC unroll 8
        for (int m = 1; m <= k; ++m) at[m] -= a * l[m];
        y_j[k] -= l[k] * y;
    }
    return true;
}

template <typename Half>
bool solve(double* band, Half half_of, double* b, int n) {
    const int half = half_of, row = half + 1;
    std::vector<double> column(size_t(half) + 1);
    int j = 0;
    for (; j + half < n; ++j)
        if (!eliminate(band + size_t(j) * size_t(row), b + j, half_of, half_of, column.data())) return false;
    for (; j < n; ++j)
        if (!eliminate(band + size_t(j) * size_t(row), b + j, n - 1 - j, half, column.data())) return false;
    for (int i = 0; i < n; ++i) b[i] *= band[size_t(i) * size_t(row) + size_t(half)];
    // Column by column, so that rows are read as they lie.
    for (int i = n - 1; i >= 0; --i) {
        const double* const L_i = band + size_t(i) * size_t(row);
        if (i >= half) {
#pragma GCC unroll 8
            for (int m = 0; m < half; ++m) b[i - half + m] -= L_i[m] * b[i];
        } else {
            for (int m = 0; m < i; ++m) b[m] -= L_i[m - i + half] * b[i];
        }
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
