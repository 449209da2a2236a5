#include "core/files/gltf/guard.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/json_fields.hpp"
#include "core/base/text_encoding.hpp"
#include "core/files/what_is.hpp"

namespace nb::gltf {

namespace fs = std::filesystem;

std::string percent_decoded(const std::string& uri) {
    std::string result;
    for (size_t i = 0; i < uri.size(); ++i) {
        const auto digit = [&](size_t at) {
            const char c = at < uri.size() ? uri[at] : ' ';
            return c >= '0' && c <= '9'                 ? c - '0'
                   : (c | 32) >= 'a' && (c | 32) <= 'f' ? (c | 32) - 'a' + 10
                                                        : -1;
        };
        if (uri[i] == '%' && digit(i + 1) >= 0 && digit(i + 2) >= 0) {
            result += char(16 * digit(i + 1) + digit(i + 2));
            i += 2;
        } else {
            result += uri[i];
        }
    }
    return result;
}

namespace {

constexpr const char* again = "export the file again";
constexpr int deepest_json = 200;
constexpr std::uint32_t json_chunk = 0x4E4F534A;  // glTF 2.0, section 4.4.3
constexpr size_t header_size = 12;
constexpr size_t chunk_header_size = 8;

std::uint32_t word_at(const std::string& bytes, size_t at) {
    std::uint32_t word = 0;
    std::memcpy(&word, bytes.data() + at, sizeof word);
    return word;
}

/// Brackets open at once, not counting those in texts.
int depth_of(std::string_view json) {
    int depth = 0;
    int most = 0;
    bool is_text = false;
    for (size_t i = 0; i < json.size(); ++i) {
        const char c = json[i];
        if (is_text) {
            if (c == '\\')
                ++i;
            else if (c == '"')
                is_text = false;
        } else if (c == '"') {
            is_text = true;
        } else if (c == '{' || c == '[') {
            most = std::max(most, ++depth);
        } else if (c == '}' || c == ']') {
            --depth;
        }
    }
    return most;
}

/// Where the JSON of a binary file stands; the file's own lengths are checked.
std::pair<size_t, size_t> json_of_binary(const std::string& bytes, const std::string& path) {
    if (bytes.size() < header_size + chunk_header_size)
        throw FileError(path, fmt::format("is cut off after {} bytes", bytes.size()),
                        "copy or export it again");
    if (const std::uint32_t version = word_at(bytes, 4); version != 2)
        throw FileError(path, fmt::format("is glTF of version {}", version), "export it as glTF 2.0");
    if (const std::uint32_t length = word_at(bytes, 8); length > bytes.size())
        throw FileError(path, fmt::format("is cut off: it holds {} of its {} bytes", bytes.size(), length),
                        "copy or export it again");
    const size_t length = word_at(bytes, header_size);
    if (word_at(bytes, header_size + 4) != json_chunk ||
        length > bytes.size() - header_size - chunk_header_size)
        throw FileError(path, "does not begin with its JSON", again);
    return {header_size + chunk_header_size, length};
}

/// A file that is referred to must lie beside or below, and be a file: no pipe that never ends.
void check_uri(const std::string& uri, const std::string& path) {
    if (uri.empty() || uri.starts_with("data:")) return;
    const std::string name = percent_decoded(uri);
    const fs::path relative = fs::path(name).lexically_normal();
    const bool leads_out = relative.is_absolute() || name.find("://") != std::string::npos ||
                           (relative.begin() != relative.end() && *relative.begin() == "..");
    if (leads_out)
        throw FileError(path, fmt::format("wants the file '{}', outside its own folder", name),
                        "put it beside, or make it a .glb");
    std::error_code error;
    for (const fs::path& there :
         {fs::path(path).parent_path() / relative, fs::path(path).parent_path() / uri})
        if (fs::exists(there, error)) {
            if (!fs::is_regular_file(there, error))
                throw FileError(path, fmt::format("wants '{}', which is no file", name),
                                "put the file there");
            return;
        }
    throw FileError(path, fmt::format("wants the file '{}', which is not there", name),
                    "put it beside, or make it a .glb");
}

/// The bytes of a picture that lies in a buffer.
void check_picture(const Json& document, const Json& image, size_t number, const std::string& path) {
    if (!image.contains("bufferView")) return;
    const auto broken = [&](const char* what) {
        return FileError(path, fmt::format("picture {} {}", number, what), again);
    };
    const Json& views = list_or_none(document, "bufferViews", path);
    const Json& buffers = list_or_none(document, "buffers", path);
    const auto view_number = size_t(whole_in(image, "bufferView", 0, 1 << 30, path));
    if (view_number >= views.size()) throw broken("has a view that does not exist");
    const Json& view = views[view_number];
    const auto buffer = size_t(whole_in(view, "buffer", 0, 1 << 30, path));
    if (buffer >= buffers.size()) throw broken("has a buffer that does not exist");
    const double end =
        number_in(view, "byteOffset", 0, 4e9, 0, path) + number_in(view, "byteLength", 0, 4e9, path);
    if (end > number_in(buffers[buffer], "byteLength", 0, 4e9, path))
        throw broken("reaches beyond its buffer");
}

}  // namespace

Guarded guard(std::string& bytes, const std::string& path) {
    Guarded guarded;
    const bool is_binary = bytes.starts_with("glTF");
    if (!is_binary) {
        const size_t start = bytes.find_first_not_of(" \t\r\n\xEF\xBB\xBF");
        if (start == std::string::npos || bytes[start] != '{')
            throw FileError(path, fmt::format("is no glTF but {}", what_is(bytes)),
                            "rename it after what it is, or export it as .glb");
    }
    auto [at, length] = is_binary ? json_of_binary(bytes, path) : std::pair<size_t, size_t>{0, bytes.size()};
    if (depth_of(std::string_view(bytes).substr(at, length)) > deepest_json)
        throw FileError(path, fmt::format("is nested more than {} deep", deepest_json), again);
    if (!is_utf8(std::string_view(bytes).substr(at, length))) {
        std::string json = bytes.substr(at, length);
        guarded.encoding = guess_encoding({json});
        json = to_utf8(json, guarded.encoding);
        while (is_binary && json.size() % 4) json += ' ';
        bytes.replace(at, length, json);
        length = json.size();
        if (is_binary) {
            const auto put = [&](size_t where, size_t value) {
                const auto word = std::uint32_t(value);
                std::memcpy(bytes.data() + where, &word, sizeof word);
            };
            put(8, bytes.size());
            put(header_size, length);
        }
    }
    guarded.json_end = at + length;
    const Json& document = guarded.json;
    try {
        guarded.json = Json::parse(std::string_view(bytes).substr(at, length));
    } catch (const Json::exception&) {
        throw FileError(path, "is no valid glTF: its JSON is broken or cut off", "copy or export it again");
    }
    for (const char* list : {"buffers", "images"})
        for (const Json& item : list_or_none(document, list, path))
            if (item.is_object()) check_uri(text_in(item, "uri", "", path), path);
    size_t number = 0;
    for (const Json& image : list_or_none(document, "images", path)) {
        if (image.is_object()) check_picture(document, image, number, path);
        ++number;
    }
    // Many nodes are no skeleton; what follows looks at each of them more than once.
    constexpr size_t most_nodes = 200000;
    if (const size_t nodes = list_or_none(document, "nodes", path).size(); nodes > most_nodes)
        throw FileError(path, fmt::format("holds {} nodes, more than {}", nodes, most_nodes),
                        "export the body alone");
    return guarded;
}

}  // namespace nb::gltf
