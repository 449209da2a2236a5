#include "core/math/banded.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

bool solve_banded(std::vector<double>& band, int half, std::vector<double>& b) {
    const int n = int(b.size());
    const int row = half + 1;
    const auto at = [&](int i, int j) -> double& {
        return band[size_t(i) * size_t(row) + size_t(j - i + half)];
    };
    for (int i = 0; i < n; ++i) {
        for (int j = std::max(0, i - half); j <= i; ++j) {
            double sum = at(i, j);
            for (int m = std::max({0, i - half, j - half}); m < j; ++m) sum -= at(i, m) * at(j, m);
            if (i == j && !(sum > 0.0 && std::isfinite(sum))) return false;
            at(i, j) = i == j ? std::sqrt(sum) : sum / at(j, j);
        }
    }
    for (int i = 0; i < n; ++i) {
        double sum = b[size_t(i)];
        for (int m = std::max(0, i - half); m < i; ++m) sum -= at(i, m) * b[size_t(m)];
        b[size_t(i)] = sum / at(i, i);
    }
    for (int i = n - 1; i >= 0; --i) {
        double sum = b[size_t(i)];
        for (int m = i + 1; m < std::min(n, i + half + 1); ++m) sum -= at(m, i) * b[size_t(m)];
        b[size_t(i)] = sum / at(i, i);
    }
    return true;
}

}  // namespace nb
