#include "core/math/turn_between.hpp"

#include <Eigen/SVD>

namespace nb {

Quat turn_between(const std::vector<Vec3>& was, const std::vector<Vec3>& is,
                  const std::vector<double>& weights) {
    if (was.empty()) return Quat::Identity();
    Mat3 sum = Mat3::Zero();
    size_t longest = 0;
    for (size_t i = 0; i < was.size(); ++i) {
        sum += (weights.empty() ? 1.0 : weights[i]) * is[i] * was[i].transpose();
        if (was[i].norm() > was[longest].norm()) longest = i;
    }
    const Eigen::JacobiSVD<Mat3> svd(sum, Eigen::ComputeFullU | Eigen::ComputeFullV);
    if (svd.singularValues()[1] < 1e-4 * svd.singularValues()[0])
        return shortest_arc(was[longest], is[longest], Vec3::UnitZ());
    Mat3 flip = Mat3::Identity();
    flip(2, 2) = (svd.matrixU() * svd.matrixV().transpose()).determinant() < 0.0 ? -1.0 : 1.0;
    return Quat(Mat3(svd.matrixU() * flip * svd.matrixV().transpose()));
}

}  // namespace nb
