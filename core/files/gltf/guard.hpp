// What is looked at in a glTF file before its reader sees it: size, depth, names that are no UTF-8, and which
// other files it wants. Internal to core/files.
#pragma once
#include <string>

#include "core/base/json_fields.hpp"

namespace nb::gltf {

struct Guarded {
    Json json;
    size_t json_end = 0;   ///< where the JSON ends in the bytes
    std::string encoding;  ///< of its texts, guessed, when they were no UTF-8 (core/base/text_encoding.hpp)
};

/// Throws FileError for what no reader should be given: cut off, another version, nested without end, files
/// outside its folder, pictures beyond their buffers. Texts in another encoding become UTF-8 in `bytes`.
Guarded guard(std::string& bytes, const std::string& path);

/// "a%20b" is "a b".
std::string percent_decoded(const std::string& uri);

}  // namespace nb::gltf
