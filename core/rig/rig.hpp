// A rig as read from one file: its skeleton, and what the file's own conventions were.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/rig/mesh.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

/// How a file measures and orients. The world is metres, +Y up, the character facing +Z.
struct FileConventions {
    double unit_m = 1.0;           ///< one unit of the file in metres
    bool is_unit_guessed = false;  ///< the file does not say; guessed from the body's height
    std::string unit_reason;
    std::string up = "+Y";      ///< the file's axis that points up
    std::string facing = "+Z";  ///< the file's axis the body faces at rest
    std::string axes_reason;
    Quat R_WF = Quat::Identity();  ///< world from file axes
};

/// One number a frame of a motion file: a rotation about or a position along an axis (0, 1, 2).
struct Channel {
    bool is_rotation = true;
    int axis = 0;
};

/// Where a joint stands in its file: the node, and the static scale and mirroring above it, which joint
/// frames inside do not have. R_PJ = F R_file F, p_PJ = scale F p_file with F = diag(flip).
struct FileNode {
    int node = -1;
    double scale_above = 1.0;
    Vec3 flip_above = Vec3::Ones();
};

struct Rig {
    std::string path;    ///< where it was read from
    std::string name;    ///< file name without folder and ending
    std::string format;  ///< "bvh", "glb"
    Skeleton skeleton;
    FileConventions conventions;
    std::vector<std::vector<Channel>> channels;  ///< a joint's channels in the file's order (BVH)
    std::vector<Mesh> meshes;
    std::vector<std::string> images;  ///< encoded pictures (PNG, JPEG) that meshes refer to
    std::vector<FileNode> nodes;      ///< a joint; empty for formats without nodes
    std::vector<std::string> notes;   ///< what was odd in the file, one sentence each
};

}  // namespace nb
