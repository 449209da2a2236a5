#include "core/rig/mesh.hpp"

#include <algorithm>
#include <cmath>

#include "core/rig/rig.hpp"

namespace nb {

float normalise_weights(VertexSkin& skin, FileFacts& facts) {
    ++facts.vertices;
    facts.vertices_over_four +=
        std::count_if(skin.weight.begin(), skin.weight.end(), [](float w) { return w > 0.0f; }) > 4;
    const float sum = normalise_weights(skin);
    if (!(sum > 0.0f)) {
        ++facts.vertices_without;
    } else if (std::abs(sum - 1.0f) > 1e-3f) {
        ++facts.vertices_off_sum;
        if (std::abs(double(sum) - 1.0) > std::abs(facts.worst_weight_sum - 1.0))
            facts.worst_weight_sum = double(sum);
    }
    return sum;
}

float normalise_weights(VertexSkin& skin) {
    float sum = 0.0f;
    for (const float w : skin.weight) sum += w;
    if (!(sum > 0.0f)) {
        skin.weight = {};
        skin.weight[0] = 1.0f;
        return 0.0f;
    }
    for (float& w : skin.weight) w /= sum;
    return sum;
}

std::vector<Vec3> skin_vertices(const Mesh& mesh, const Pose& pose, const std::vector<char>* which) {
    std::vector<Eigen::Matrix<double, 3, 4>> carried(mesh.palette.size());
    for (size_t i = 0; i < mesh.palette.size(); ++i) {
        const size_t j = size_t(mesh.palette[i].joint);
        Eigen::Matrix4d X = Eigen::Matrix4d::Identity();
        X.block<3, 3>(0, 0) = pose.R[j].toRotationMatrix();
        X.block<3, 1>(0, 3) = pose.p[j];
        carried[i] = (X * mesh.palette[i].attach).topRows<3>();
    }
    std::vector<Vec3> result(mesh.positions.size(), Vec3::Zero());
    for (size_t v = 0; v < result.size(); ++v) {
        if (which && !(*which)[v]) continue;
        const Eigen::Vector4d p = mesh.positions[v].cast<double>().homogeneous();
        Vec3 sum = Vec3::Zero();
        // In a file's precision they add up to 1 but for 1e-7: what is moved as a whole shall be moved as a whole.
        double weights = 0.0;
        for (size_t k = 0; k < 8; ++k)
            if (const double weight = double(mesh.skin[v].weight[k]); weight > 0.0) {
                sum += weight * (carried[mesh.skin[v].palette[k]] * p);
                weights += weight;
            }
        result[v] = weights > 0.0 ? Vec3(sum / weights) : sum;
    }
    return result;
}

}  // namespace nb
