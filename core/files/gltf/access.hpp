// Reading numbers of a glTF model, bounds checked. Internal to core/files.
#pragma once
#include <tiny_gltf.h>

#include <string>
#include <vector>

#include "core/files/joint_frames.hpp"

namespace nb::gltf {

/// The floats of an accessor, `width` a row. Throws FileError for what does not fit its buffer or is not
/// finite.
std::vector<double> read_rows(const tinygltf::Model& model, int accessor_index, int width,
                              const std::string& path);
/// As read_rows, from floats or integers; normalised integers become 0..1 (-1..1). Sparse values are put in.
std::vector<double> read_values(const tinygltf::Model& model, int accessor_index, int width,
                                const std::string& path);

/// From translation, rotation and scale, or from the matrix taken apart (mirroring goes to the scale's sign).
NodeTransform transform_of(const tinygltf::Node& node);

/// Reads a whole file (binary or text). Throws FileError. `encoding`: of its texts when they are no UTF-8.
tinygltf::Model read_model(const std::string& path, std::string* encoding = nullptr);

}  // namespace nb::gltf
