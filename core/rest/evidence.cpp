#include "core/rest/evidence.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include "core/motion/kinematics.hpp"

namespace nb {

std::vector<LimbJoints> limbs_of(const Skeleton& skeleton, const RoleMap& roles) {
    std::vector<LimbJoints> result;
    for (const Side side : {Side::left, Side::right}) {
        const std::string s(side_suffix(side));
        for (const auto& [name, upper, lower, tip] :
             {std::array{"arm", "upperarm", "forearm", "hand"}, std::array{"leg", "thigh", "shin", "foot"}}) {
            const LimbJoints limb{name + s,
                                  roles.joint(upper + s),
                                  roles.joint(lower + s),
                                  roles.joint(tip + s),
                                  gathered_joint(skeleton, roles, upper + s),
                                  gathered_joint(skeleton, roles, lower + s)};
            if (limb.upper >= 0 && limb.lower >= 0 && limb.tip >= 0) result.push_back(limb);
        }
    }
    return result;
}

std::optional<BendEvidence> bend_in_take(const Skeleton& skeleton, const Take& take, const LimbJoints& limb) {
    const auto at_rest = [&](int bone, int roll) {
        Quat R = Quat::Identity();
        for (int j = roll; j >= 0 && j != bone; j = skeleton.parents[size_t(j)])
            R = skeleton.rest_R[size_t(j)] * R;
        return R;
    };
    const Quat upper_rest = at_rest(limb.upper, limb.upper_roll);
    const Quat lower_rest = at_rest(limb.lower, limb.lower_roll);
    Vec3 upper_sum = Vec3::Zero();
    Vec3 lower_sum = Vec3::Zero();
    double weight = 0.0;
    const int step = std::max(1, take.frames / 300);
    for (int f = take.first_motion_frame; f < take.frames; f += step) {
        const Pose pose = pose_at(skeleton, take, f);
        const Vec3 upper = pose.p[size_t(limb.lower)] - pose.p[size_t(limb.upper)];
        const Vec3 lower = pose.p[size_t(limb.tip)] - pose.p[size_t(limb.lower)];
        if (angle_between(upper, lower) < deg_to_rad(15.0)) continue;
        const Vec3 axis = upper.cross(lower) / (upper.norm() * lower.norm());
        upper_sum += upper_rest * (pose.R[size_t(limb.upper_roll)].conjugate() * axis);
        lower_sum += lower_rest * (pose.R[size_t(limb.lower_roll)].conjugate() * axis);
        weight += axis.norm();
    }
    if (weight < 1.0 || upper_sum.norm() < 1e-9 || lower_sum.norm() < 1e-9) return {};
    return BendEvidence{{upper_sum.normalized(), upper_sum.norm() / weight},
                        {lower_sum.normalized(), lower_sum.norm() / weight}};
}

std::optional<Vec3> bend_in_pose(const Vec3& upper, const Vec3& lower, double least_rad) {
    if (angle_between(upper, lower) < least_rad) return {};
    return upper.cross(lower).normalized();
}

std::vector<Vec3> MeshPoints::below(const Skeleton& skeleton, int joint) const {
    std::vector<Vec3> points;
    if (joint < 0) return points;
    for (int j = joint; j < skeleton.size() && size_t(j) < of_joint.size(); ++j)
        if (skeleton.is_ancestor(joint, j))
            points.insert(points.end(), of_joint[size_t(j)].begin(), of_joint[size_t(j)].end());
    return points;
}

int carries_most(const Mesh& mesh, size_t vertex) {
    const VertexSkin& skin = mesh.skin[vertex];
    const auto most = std::max_element(skin.weight.begin(), skin.weight.end());
    const size_t slot = skin.palette[size_t(most - skin.weight.begin())];
    return slot < mesh.palette.size() ? mesh.palette[slot].joint : -1;
}

MeshPoints mesh_points(const Rig& rig, const Pose& pose) {
    MeshPoints points;
    points.of_joint.resize(rig.skeleton.names.size());
    for (const Mesh& mesh : rig.meshes) {
        const std::vector<Vec3> placed = skin_vertices(mesh, pose);
        for (size_t v = 0; v < placed.size(); ++v)
            if (const int joint = carries_most(mesh, v); joint >= 0)
                points.of_joint[size_t(joint)].push_back(placed[v]);
    }
    return points;
}

std::optional<Vec3> flat_normal(const std::vector<Vec3>& points) {
    if (points.size() < 12) return {};
    Vec3 centre = Vec3::Zero();
    for (const Vec3& p : points) centre += p;
    centre /= double(points.size());
    Mat3 spread = Mat3::Zero();
    for (const Vec3& p : points) spread += (p - centre) * (p - centre).transpose();
    const Eigen::SelfAdjointEigenSolver<Mat3> axes(spread);
    if (axes.info() != Eigen::Success) return {};
    const Vec3 extent = axes.eigenvalues().cwiseMax(0.0).cwiseSqrt();
    if (extent[1] < 1e-9 || extent[0] > 0.5 * extent[1]) return {};
    return Vec3(axes.eigenvectors().col(0));
}

std::optional<Vec3> sole_normal(const std::vector<Vec3>& points, const Vec3& up) {
    if (points.size() < 12) return {};
    Vec3 normal = up.normalized();
    for (int round = 0; round < 4; ++round) {
        double low = 1e30;
        double high = -1e30;
        for (const Vec3& p : points) {
            low = std::min(low, normal.dot(p));
            high = std::max(high, normal.dot(p));
        }
        // The plane of the lowest sixth, by least squares of the height over the two axes of the ground.
        const Vec3 a =
            (std::abs(normal.x()) < 0.8 ? Vec3::UnitX() : Vec3::UnitZ()).cross(normal).normalized();
        const Vec3 b = normal.cross(a);
        Mat3 products = Mat3::Zero();
        Vec3 sums = Vec3::Zero();
        int count = 0;
        for (const Vec3& p : points) {
            const double height = normal.dot(p);
            if (height > low + (high - low) / 6.0) continue;
            const Vec3 row(a.dot(p), b.dot(p), 1.0);
            products += row * row.transpose();
            sums += height * row;
            ++count;
        }
        if (count < 6) return {};
        const Vec3 plane = products.ldlt().solve(sums);
        if (!plane.allFinite()) return {};
        normal = (normal - plane.x() * a - plane.y() * b).normalized();
    }
    if (angle_between(normal, up) > deg_to_rad(35.0)) return {};
    return normal;
}

}  // namespace nb
