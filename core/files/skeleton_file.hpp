// What a file with a skeleton holds, in the file's own unit and axes: what the readers give and writers take.
#pragma once
#include <string>
#include <utility>
#include <vector>

#include "core/motion/take.hpp"
#include "core/rig/rig.hpp"

namespace nb {

struct SkeletonFile {
    Skeleton skeleton;
    std::vector<std::vector<Channel>> channels;  ///< [joint], in the file's order (BVH; else empty lists)
    std::vector<std::string> animations;         ///< names of all that the file holds; `take` is one of them
    Take take;                                   ///< no frames when the file has no motion
    std::vector<Mesh> meshes;
    std::vector<std::string> images;
    std::vector<FileNode> nodes;  ///< a joint; empty for formats without nodes
    double unit_m = 0.0;          ///< metres of one unit where the file says; 0: it does not
    std::string unit_reason;      ///< who says so
    /// Role and joint as the file's own humanoid mapping has them (core/handover/vrm.hpp); empty: it has
    /// none.
    std::vector<std::pair<std::string, int>> mapping;
    FileFacts facts;
    std::vector<std::string> notes;  ///< what was odd, one sentence each
};

/// Throws FileError when a file that holds animations has none of that number (counted from 0).
void check_animation(const std::string& path, const std::vector<std::string>& animations, int number);

}  // namespace nb
