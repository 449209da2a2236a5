// A picture in memory, and as a PNG file.
#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace nb {

struct Picture {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> rgba;  ///< rows from the top, four bytes a pixel
};

/// A PNG or JPEG from memory; without size when it is neither.
Picture decode_picture(const std::string& encoded);
/// Throws FileError.
void write_png(const std::string& path, const Picture& picture);

}  // namespace nb
