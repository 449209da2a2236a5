// Pictures that rigs carry (PNG, JPEG), by the stb reader.
#define STB_IMAGE_IMPLEMENTATION
#define STBI_ONLY_PNG
#define STBI_ONLY_JPEG
#define STBI_NO_STDIO
#define STB_IMAGE_STATIC
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wunused-function"
#include <stb/stb_image.h>
#pragma GCC diagnostic pop

#include "draw/picture.hpp"

namespace nb {

Picture decode_picture(const std::string& encoded) {
    Picture picture;
    int channels = 0;
    const auto* bytes = reinterpret_cast<const stbi_uc*>(encoded.data());
    // Larger than any texture a driver takes: not worth the memory.
    int width = 0;
    int height = 0;
    if (!stbi_info_from_memory(bytes, int(encoded.size()), &width, &height, &channels) || width > 8192 ||
        height > 8192)
        return picture;
    stbi_uc* pixels = stbi_load_from_memory(bytes, int(encoded.size()), &width, &height, &channels, 4);
    if (!pixels) return picture;
    picture = {width, height, {pixels, pixels + size_t(width) * size_t(height) * 4}};
    stbi_image_free(pixels);
    return picture;
}

}  // namespace nb
