// Reading the humanoid mapping of a glTF model. Internal to core/files.
#pragma once
#include <tiny_gltf.h>

#include <string>
#include <utility>
#include <vector>

#include "core/rig/skeleton.hpp"

namespace nb::gltf {

/// Roles and joints of the VRM 1.0 extension; empty when the model has none. What points nowhere is left out.
std::vector<std::pair<std::string, int>> read_humanoid(const tinygltf::Model& model,
                                                       const std::vector<int>& joint_of_node,
                                                       const Skeleton& skeleton);

}  // namespace nb::gltf
