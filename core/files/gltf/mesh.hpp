// The meshes of a glTF model, attached to the joints of the skeleton. Internal to core/files.
#pragma once
#include "core/files/gltf/access.hpp"
#include "core/files/skeleton_file.hpp"

namespace nb::gltf {

/// Fills `file.meshes` and `file.images`. `joint_of_node`: -1 for nodes that are no joints; `parent`: of
/// nodes. Meshes of nodes below a joint are carried rigidly by it; those that hang on no joint are left out
/// and told.
void read_meshes(const tinygltf::Model& model, const std::vector<int>& parent,
                 const std::vector<int>& joint_of_node, const JointFrames& frames, const std::string& path,
                 SkeletonFile& file);

}  // namespace nb::gltf
