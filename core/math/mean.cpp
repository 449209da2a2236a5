#include "core/math/mean.hpp"

#include <Eigen/Eigenvalues>

namespace nb {

Quat mean_of(const Eigen::Matrix4d& sum, const Quat& middle) {
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d> solver(sum);
    const auto& values = solver.eigenvalues();  // rising
    if (values[3] - values[2] < 1e-6 * values[3]) return middle;
    const Quat mean(Eigen::Vector4d(solver.eigenvectors().col(3)));
    return mean.dot(middle) < 0.0 ? Quat(-mean.coeffs()) : mean;
}

}  // namespace nb
