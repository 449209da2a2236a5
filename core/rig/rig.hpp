// A rig as read from one file: its skeleton, and what the file's own conventions were.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/base/shared.hpp"
#include "core/rig/load_options.hpp"
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
    std::string name;  ///< in the file
    double scale_above = 1.0;
    Vec3 flip_above = Vec3::Ones();
};

/// What a reader met in a file and set right, or could not: counts and names for the findings of the intake.
struct FileFacts {
    std::vector<std::string> constant_scale_keys;  ///< nodes whose scale keys never change: no motion
    std::vector<std::string> animated_scale;  ///< nodes whose scale keys change: kept in the file, not solved
    std::vector<std::string> uneven_scale;    ///< nodes whose scale is not the same along all axes
    std::vector<std::string> renamed;         ///< bones whose names were used before, as they are called now
    int vertices = 0;
    int vertices_over_four = 0;  ///< with more than four weights
    int vertices_off_sum = 0;    ///< whose weights do not add up to 1 within 0.001
    double worst_weight_sum = 1.0;
    int vertices_without = 0;        ///< without any weight
    int keys = 0;                    ///< times of keys that were looked at
    int keys_off_frames = 0;         ///< that lie more than a fiftieth of a frame off whole frames
    double key_rate_fps = 0.0;       ///< that of the closest keys, as it was; 0 for formats with a frame time
    int announced_frames = 0;        ///< by a header; 0: it says none
    std::vector<std::string> along;  ///< bones that came from files of their own (core/intake/along.hpp)
    std::vector<std::string>
        things;  ///< joints of `LoadOptions::things`, in their order (core/intake/things.hpp)
    std::vector<std::string> away;  ///< such files that could not be used, with the reason; a sentence each
    std::string encoding;           ///< of its names, guessed; empty: UTF-8 (core/base/text_encoding.hpp)
};

struct Rig {
    std::string path;    ///< where it was read from
    std::string name;    ///< file name without folder and ending
    std::string format;  ///< "bvh", "glb"
    Skeleton skeleton;
    FileConventions conventions;
    std::vector<std::vector<Channel>> channels;  ///< a joint's channels in the file's order (BVH)
    Shared<std::vector<Mesh>> meshes;
    Shared<std::vector<std::string>> images;  ///< encoded pictures (PNG, JPEG) that meshes refer to
    std::vector<FileNode> nodes;              ///< a joint; empty for formats without nodes
    LoadOptions options;                      ///< with which it was read
    FileFacts facts;
    std::vector<std::string> notes;  ///< what was odd in the file, one sentence each
};

}  // namespace nb
