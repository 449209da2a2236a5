#include "core/library/document_key.hpp"

#include <fmt/format.h>

#include <array>
#include <filesystem>

#include "core/base/fault.hpp"

namespace nb {

namespace {

constexpr std::array<const char*, 4> kinds{"character", "take", "pairing", "scene"};

/// However a file was named, it is one.
std::string absolute(const std::string& path) {
    std::error_code error;
    const auto whole = std::filesystem::absolute(path, error);
    return (error ? std::filesystem::path(path) : whole).lexically_normal().string();
}

}  // namespace

DocumentKey character_key(const std::string& rig_path) {
    return {DocumentKey::Kind::character, absolute(rig_path), 0, {}, {}, {}};
}

DocumentKey take_key(const std::string& motion_path, int animation, const std::string& body) {
    return {DocumentKey::Kind::take, absolute(motion_path), animation, {}, {}, body};
}

DocumentKey scene_key(const std::string& scene_path) {
    return {DocumentKey::Kind::scene, absolute(scene_path), 0, {}, {}, {}};
}

Json key_json(const DocumentKey& key) {
    Json json;
    json["kind"] = kinds[size_t(key.kind)];
    json["path"] = key.path;
    if (key.kind == DocumentKey::Kind::take) json["animation"] = key.animation + 1;
    if (!key.body.empty()) json["body"] = key.body;
    if (key.kind == DocumentKey::Kind::pairing) {
        json["source"] = key.source_id;
        json["target"] = key.target_id;
    }
    return json;
}

DocumentKey read_key(const Json& json, const std::string& path) {
    DocumentKey key;
    const std::string kind = text_in(json, "kind", path);
    size_t i = 0;
    while (i < kinds.size() && kind != kinds[i]) ++i;
    if (i == kinds.size())
        throw FileError(path, fmt::format("'{}' is no kind of document", kind), "put the file aside");
    key.kind = DocumentKey::Kind(i);
    key.path = text_in(json, "path", path);
    key.animation = whole_in(json, "animation", 1, 100000, 1, path) - 1;
    key.body = text_in(json, "body", "", path);
    key.source_id = text_in(json, "source", "", path);
    key.target_id = text_in(json, "target", "", path);
    return key;
}

}  // namespace nb
