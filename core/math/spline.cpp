#include "core/math/spline.hpp"

#include <algorithm>
#include <utility>

namespace nb {

EvenSpline::EvenSpline(Eigen::Matrix4Xd values)
    : values_(std::move(values)), bends_(Eigen::Matrix4Xd::Zero(4, values_.cols())) {
    // m_(i-1) + 4 m_i + m_(i+1) = 6 (y_(i-1) - 2 y_i + y_(i+1)), m = 0 at both ends; Thomas' algorithm.
    const Eigen::Index n = values_.cols();
    if (n < 3) return;
    std::vector<double> upper(size_t(n), 0.0);
    for (Eigen::Index i = 1; i + 1 < n; ++i) {
        const double pivot = 4.0 - upper[size_t(i) - 1];
        upper[size_t(i)] = 1.0 / pivot;
        bends_.col(i) =
            (6.0 * (values_.col(i - 1) - 2.0 * values_.col(i) + values_.col(i + 1)) - bends_.col(i - 1)) /
            pivot;
    }
    for (Eigen::Index i = n - 2; i > 0; --i) bends_.col(i) -= upper[size_t(i)] * bends_.col(i + 1);
}

Eigen::Vector4d EvenSpline::at(double x) const {
    const Eigen::Index n = values_.cols();
    if (n == 1) return values_.col(0);
    const Eigen::Index i = std::clamp<Eigen::Index>(Eigen::Index(x), 0, n - 2);
    const double b = x - double(i), a = 1.0 - b;
    return a * values_.col(i) + b * values_.col(i + 1) +
           ((a * a * a - a) * bends_.col(i) + (b * b * b - b) * bends_.col(i + 1)) / 6.0;
}

}  // namespace nb
