// Rigid joint frames from a tree of nodes with static scale and mirroring. Internal to core/files.
//
// A node's matrix is T R S. Inside, joint frames are rigid and right-handed: with F the signs and s the mean
// size of the scales above a node,  R_PJ = F R F,  p_PJ = s F p.  What the frame loses, s F, goes to what
// hangs on it.
#pragma once
#include <string>
#include <vector>

#include "core/files/skeleton_file.hpp"

namespace nb {

struct NodeTransform {
    Quat R = Quat::Identity();
    Vec3 p = Vec3::Zero();
    Vec3 scale = Vec3::Ones();  ///< negative: mirrored
};
Eigen::Matrix4d matrix_of(const NodeTransform& t);
/// Takes a matrix without shear apart; mirroring goes to the sign of the first axis.
NodeTransform transform_of(const Eigen::Matrix4d& m);

class JointFrames {
  public:
    /// Appends a joint to the file's skeleton, with its place in the file. `parent`: index of a joint, or -1.
    /// Returns its index. Uneven scale is told in the notes.
    int add(SkeletonFile& file, int parent, int node, const std::string& name, const NodeTransform& t);

    /// A rotation, a place of the file at a joint, seen in the rigid frame of its parent.
    static Quat rotation(const FileNode& at, const Quat& R);
    static Vec3 place(const FileNode& at, const Vec3& p) {
        return at.scale_above * at.flip_above.cwiseProduct(p);
    }
    /// What turns coordinates of the node (scaled, mirrored) into those of the joint's rigid frame.
    Mat3 own_scale(int joint) const {
        return scale_below_[size_t(joint)] * Mat3(flip_below_[size_t(joint)].asDiagonal());
    }
    bool is_mirrored(int joint) const { return flip_below_[size_t(joint)] != Vec3::Ones(); }

  private:
    std::vector<double> scale_below_;  // a joint: product of its own and its ancestors' sizes
    std::vector<Vec3> flip_below_;     // and of their signs
};

}  // namespace nb
