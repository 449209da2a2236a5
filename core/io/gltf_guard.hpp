// What is looked at in a glTF file before its reader sees it: size, depth, names that are no UTF-8, and which
// other files it wants. Internal to core/io.
#pragma once
#include <string>

namespace nb::gltf {

/// Throws FileError for what no reader should be given: cut off, another version, nested without end, files
/// outside its folder, pictures beyond their buffers. Texts in another encoding become UTF-8 in `bytes`;
/// `encoding` is then the guess (core/io/text_encoding.hpp).
void guard(std::string& bytes, const std::string& path, std::string& encoding);

}  // namespace nb::gltf
