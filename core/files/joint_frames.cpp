#include "core/files/joint_frames.hpp"

#include <fmt/format.h>

#include <cmath>

namespace nb {

Eigen::Matrix4d matrix_of(const NodeTransform& t) {
    Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
    m.block<3, 3>(0, 0) = t.R.toRotationMatrix() * t.scale.asDiagonal();
    m.block<3, 1>(0, 3) = t.p;
    return m;
}

NodeTransform transform_of(const Eigen::Matrix4d& m) {
    NodeTransform t;
    t.p = m.block<3, 1>(0, 3);
    Mat3 linear = m.block<3, 3>(0, 0);
    for (int c = 0; c < 3; ++c) t.scale[c] = std::max(1e-12, linear.col(c).norm());
    if (linear.determinant() < 0) t.scale.x() = -t.scale.x();
    for (int c = 0; c < 3; ++c) linear.col(c) /= t.scale[c];
    t.R = Quat(linear).normalized();
    return t;
}

int JointFrames::add(SkeletonFile& file, int parent, int node, const std::string& name,
                     const NodeTransform& t) {
    FileNode at;
    at.node = node;
    at.name = name;
    if (parent >= 0) {
        at.scale_above = scale_below_[size_t(parent)];
        at.flip_above = flip_below_[size_t(parent)];
    }
    file.skeleton.names.push_back(name);
    file.skeleton.parents.push_back(parent);
    file.skeleton.rest_R.push_back(rotation(at, t.R));
    file.skeleton.rest_p.push_back(place(at, t.p));
    const Vec3 size = t.scale.cwiseAbs();
    const double own = std::cbrt(size.prod());
    if ((size - Vec3::Constant(own)).norm() > 1e-4 * own) file.facts.uneven_scale.push_back(name);
    if ((size - Vec3::Constant(own)).norm() > 1e-4 * own)
        file.notes.push_back(
            fmt::format("node '{}' is scaled unevenly: its mean scale {:.4g} is used", name, own));
    const Vec3 sign(t.scale.x() < 0 ? -1 : 1, t.scale.y() < 0 ? -1 : 1, t.scale.z() < 0 ? -1 : 1);
    scale_below_.push_back(at.scale_above * own);
    flip_below_.push_back(at.flip_above.cwiseProduct(sign));
    file.nodes.push_back(at);
    return file.skeleton.size() - 1;
}

Quat JointFrames::rotation(const FileNode& at, const Quat& R) {
    const Vec3& f = at.flip_above;
    return {R.w(), f.y() * f.z() * R.x(), f.x() * f.z() * R.y(), f.x() * f.y() * R.z()};
}

}  // namespace nb
