#include "draw/picture.hpp"

#include <png.h>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"

namespace nb {

void write_png(const std::string& path, const Picture& picture) {
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    image.width = png_uint_32(picture.width);
    image.height = png_uint_32(picture.height);
    image.format = PNG_FORMAT_RGBA;
    png_alloc_size_t size = 0;
    if (!png_image_write_to_memory(&image, nullptr, &size, 0, picture.rgba.data(), 0, nullptr))
        throw FileError(path, image.message, "choose a smaller picture");
    std::string bytes(size, '\0');
    if (!png_image_write_to_memory(&image, bytes.data(), &size, 0, picture.rgba.data(), 0, nullptr))
        throw FileError(path, image.message, "choose a smaller picture");
    bytes.resize(size);
    write_file(path, bytes);
}

}  // namespace nb
