#include "core/files/what_is.hpp"

#include <algorithm>
#include <array>
#include <utility>

#include "core/base/text_encoding.hpp"

namespace nb {

std::string what_is(std::string_view bytes) {
    using namespace std::string_view_literals;
    constexpr std::array<std::pair<std::string_view, std::string_view>, 17> signatures{{
        {"glTF"sv, "a binary glTF file (.glb)"sv},
        {"Kaydara FBX Binary"sv, "an FBX scene (.fbx)"sv},
        {"; FBX"sv, "an FBX scene in text (.fbx)"sv},
        {"\x89PNG"sv, "a PNG picture"sv},
        {"\xFF\xD8\xFF"sv, "a JPEG picture"sv},
        {"GIF8"sv, "a GIF picture"sv},
        {"PK\x03\x04"sv, "a ZIP archive; unpack it"sv},
        {"\x1F\x8B"sv, "a gzip archive; unpack it"sv},
        {"7z\xBC\xAF\x27\x1C"sv, "a 7z archive; unpack it"sv},
        {"%PDF"sv, "a PDF document"sv},
        {"\x7F"
         "ELF"sv,
         "a program"sv},
        {"MZ"sv, "a program"sv},
        {"BLENDER"sv, "a .blend scene"sv},
        {"xof "sv, "an .x scene"sv},
        {"MD5Version"sv, "an MD5 model or animation"sv},
        {"RIFF"sv, "sound or video (RIFF)"sv},
        {"OggS"sv, "sound or video (Ogg)"sv},
    }};
    for (const auto& [signature, words] : signatures)
        if (bytes.starts_with(signature)) return std::string(words);
    const size_t start = std::min(bytes.find_first_not_of(" \t\r\n\xEF\xBB\xBF"), bytes.size());
    const std::string_view rest = bytes.substr(start);
    if (rest.empty()) return "empty";
    const auto begins_with = [&](std::string_view word) {
        return rest.size() >= word.size() && std::equal(word.begin(), word.end(), rest.begin(),
                                                        [](char a, char b) { return a == (b | 32); });
    };
    if (begins_with("hierarchy")) return "a BVH motion file (.bvh)";
    if (rest.substr(0, 2000).find("<COLLADA") != std::string_view::npos) return "a Collada scene (.dae)";
    if (begins_with("<!doctype html") || begins_with("<html")) return "a web page: the download went wrong";
    if (rest[0] == '<') return "XML";
    if (rest[0] == '{') return "JSON";
    const std::string_view head = rest.substr(0, 4000);
    const bool is_text = std::none_of(head.begin(), head.end(), [](char c) {
        return static_cast<unsigned char>(c) < 9 ||
               (static_cast<unsigned char>(c) > 13 && static_cast<unsigned char>(c) < 32);
    });
    return is_text ? "text" : "binary data of an unknown kind";
}

}  // namespace nb
