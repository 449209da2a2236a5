#include "core/body/motion_evidence.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

namespace nb {

std::vector<JointMotion> measure_motion(const Skeleton& skeleton, const Take& take) {
    const int first = std::max(0, take.first_motion_frame);
    const int frames = take.frames - first;
    if (frames < 10 || take.joints != skeleton.size()) return {};
    const int step = std::max(1, frames / 400);
    std::vector<JointMotion> all(skeleton.names.size());
    for (int j = 0; j < skeleton.size(); ++j) {
        const auto turn = [&](int f) -> const Quat& {
            return take.R[size_t(f) * size_t(take.joints) + size_t(j)];
        };
        // The mean turn: of signs made alike, normalised.
        Eigen::Vector4d sum = Eigen::Vector4d::Zero();
        for (int f = first; f < take.frames; f += step) {
            const Eigen::Vector4d q = turn(f).coeffs();
            sum += q.dot(turn(first).coeffs()) < 0 ? Eigen::Vector4d(-q) : q;
        }
        if (sum.norm() < 1e-6) continue;
        const Quat mean = Quat(sum).normalized();
        Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();
        int count = 0;
        for (int f = first; f < take.frames; f += step, ++count) {
            const Vec3 w = log_rotation(turn(f) * mean.conjugate());
            covariance += w * w.transpose();
        }
        covariance /= double(count);
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(covariance);
        const Eigen::Vector3d& l = solver.eigenvalues();
        all[size_t(j)].range_rad = 2.0 * std::sqrt(std::max(0.0, covariance.trace()));
        if (l[2] < 1e-8) continue;
        all[size_t(j)].hinge = std::clamp(1.0 - l[1] / l[2], 0.0, 1.0);
        all[size_t(j)].axis = solver.eigenvectors().col(2);
    }
    return all;
}

}  // namespace nb
