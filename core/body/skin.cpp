#include "core/body/skin.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

std::vector<JointSkin> measure_skin(const Skeleton& skeleton, const std::vector<Mesh>& meshes) {
    size_t vertices = 0;
    for (const Mesh& mesh : meshes) vertices += mesh.skin.size();
    if (vertices == 0) return {};
    const Pose pose = rest_pose(skeleton);
    const size_t step = std::max<size_t>(1, vertices / 20000);
    std::vector<JointSkin> all(skeleton.names.size());
    std::vector<double> squares(skeleton.names.size(), 0.0);
    for (const Mesh& mesh : meshes) {
        std::vector<Eigen::Matrix4d> X_WV;
        for (const MeshJoint& joint : mesh.palette) {
            Eigen::Matrix4d X = Eigen::Matrix4d::Identity();
            if (joint.joint >= 0) {
                X.topLeftCorner<3, 3>() = pose.R[size_t(joint.joint)].toRotationMatrix();
                X.topRightCorner<3, 1>() = pose.p[size_t(joint.joint)];
            }
            X_WV.emplace_back(X * joint.attach);
        }
        for (size_t v = 0; v < mesh.skin.size(); ++v) {
            const VertexSkin& skin = mesh.skin[v];
            // Every joint is asked for its skin at every vertex: a small bone must not fall between two.
            const bool is_looked_at = v % step == 0;
            for (size_t k = 0; k < skin.weight.size(); ++k) {
                if (!(skin.weight[k] > 0.0f) || skin.palette[k] >= mesh.palette.size()) continue;
                const int j = mesh.palette[skin.palette[k]].joint;
                if (j < 0) continue;
                JointSkin& of = all[size_t(j)];
                if (!is_looked_at && of.weight > 1.0) continue;
                const Vec3 p =
                    (X_WV[skin.palette[k]] * mesh.positions[v].cast<double>().homogeneous()).head<3>();
                if (!p.allFinite()) continue;
                const double w = double(skin.weight[k]);
                of.weight += w;
                of.centre += w * p;
                squares[size_t(j)] += w * p.squaredNorm();
            }
        }
    }
    for (size_t j = 0; j < all.size(); ++j) {
        if (all[j].weight <= 0.0) continue;
        all[j].centre /= all[j].weight;
        all[j].spread = std::sqrt(std::max(0.0, squares[j] / all[j].weight - all[j].centre.squaredNorm()));
    }
    return all;
}

}  // namespace nb
