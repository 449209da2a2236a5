#include "core/files/gltf/glb_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/json_fields.hpp"
#include "core/files/gltf/guard.hpp"
#include "core/files/joint_frames.hpp"

namespace nb {

namespace {

constexpr std::uint32_t json_chunk = 0x4E4F534A;
constexpr std::uint32_t binary_chunk = 0x004E4942;

std::uint32_t word_at(const std::string& bytes, size_t at) {
    std::uint32_t value = 0;
    if (at + 4 <= bytes.size()) std::memcpy(&value, bytes.data() + at, 4);
    return value;
}
void append_word(std::string& bytes, size_t value) {
    const auto word = std::uint32_t(value);
    bytes.append(reinterpret_cast<const char*>(&word), 4);
}
void pad(std::string& bytes, char with) {
    bytes.resize((bytes.size() + 3) / 4 * 4, with);
}

std::string decode_base64(std::string_view text) {
    std::string result;
    unsigned bits = 0;
    int count = 0;
    for (const char c : text) {
        const auto* all = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
        const char* at = c ? std::strchr(all, c) : nullptr;
        if (!at) continue;
        bits = bits << 6 | unsigned(at - all);
        count += 6;
        if (count < 8) continue;
        count -= 8;
        result += char(bits >> count & 255u);
    }
    return result;
}

}  // namespace

GlbParts::GlbParts(const std::string& made_for) : path_(made_for) {
    json["asset"] = {{"version", "2.0"}, {"generator", "Nimble Bone"}};
}

GlbParts::GlbParts(const Rig& rig) : path_(rig.path) {
    std::string bytes = read_file(rig.path);
    gltf::Guarded guarded = gltf::guard(bytes, rig.path);
    json = std::move(guarded.json);
    const size_t at = guarded.json_end;
    if (bytes.starts_with("glTF") && at + 8 <= bytes.size() && word_at(bytes, at + 4) == binary_chunk)
        binary_ = bytes.substr(at + 8, word_at(bytes, at));
    try {
        pack_buffers();
    } catch (const nlohmann::ordered_json::exception&) {
        throw FileError(rig.path, "is no longer the glTF file that was read", "open it again");
    }
    const size_t count = json.contains("nodes") ? json["nodes"].size() : 0;
    for (size_t j = 0; j < rig.nodes.size(); ++j) {
        const int node = rig.nodes[j].node;
        if (node < 0) continue;  // a bone that comes to it
        if (size_t(node) >= count ||
            json["nodes"][size_t(node)].value("name", fmt::format("node_{}", node)) != rig.nodes[j].name)
            throw FileError(rig.path, "is no longer the file that was read: its nodes have changed",
                            "open it again");
    }
}

std::string GlbParts::beside(const std::string& uri) const {
    if (uri.starts_with("data:")) {
        const size_t comma = uri.find(',');
        return comma == std::string::npos ? std::string()
                                          : decode_base64(std::string_view(uri).substr(comma + 1));
    }
    // As written, else as it reads with its escapes ("%20").
    const std::filesystem::path folder = std::filesystem::path(path_).parent_path();
    std::error_code error;
    const bool is_there = std::filesystem::exists(folder / uri, error);
    return read_file((folder / (is_there ? uri : gltf::percent_decoded(uri))).string());
}

/// All buffers, wherever they lie, become the one of the binary chunk.
void GlbParts::pack_buffers() {
    if (!json.contains("buffers")) return;
    Json& buffers = json["buffers"];
    std::vector<size_t> offsets;
    std::string whole;
    for (const Json& buffer : buffers) {
        pad(whole, '\0');
        offsets.push_back(whole.size());
        std::string data = buffer.contains("uri") ? beside(buffer["uri"].get<std::string>()) : binary_;
        const size_t length = buffer.value("byteLength", data.size());
        if (length > data.size() + 3)
            throw FileError(path_, "has a buffer that is cut off", "copy or export the file again");
        data.resize(length);
        whole += data;
    }
    if (json.contains("bufferViews"))
        for (Json& view : json["bufferViews"]) {
            const size_t buffer = view.at("buffer").get<size_t>();
            if (buffer >= offsets.size())
                throw FileError(path_, "has a buffer view without a buffer", "export the file again");
            if (buffers.size() > 1 && offsets[buffer] > 0)
                view["byteOffset"] = view.value("byteOffset", size_t(0)) + offsets[buffer];
            view["buffer"] = 0;
        }
    if (buffers.size() == 1)
        buffers[0].erase("uri");
    else
        buffers = Json::array({Json::object()});
    binary_ = std::move(whole);
    if (!json.contains("images")) return;
    for (Json& image : json["images"]) {
        if (!image.contains("uri") || image["uri"].get<std::string>().starts_with("data:")) continue;
        const std::string uri = image["uri"].get<std::string>();
        const std::string data = beside(uri);
        image.erase("uri");
        image["mimeType"] = uri.ends_with(".png") ? "image/png" : "image/jpeg";
        image["bufferView"] = add_view(data);
    }
}

size_t GlbParts::append(const char* list, Json item) {
    Json& all = json[list];
    if (all.is_null()) all = Json::array();
    all.push_back(std::move(item));
    return all.size() - 1;
}

size_t GlbParts::add_view(std::string_view data) {
    pad(binary_, '\0');
    const size_t view =
        append("bufferViews", {{"buffer", 0}, {"byteOffset", binary_.size()}, {"byteLength", data.size()}});
    binary_.append(data);
    return view;
}

size_t GlbParts::add_floats(std::span<const float> values, const char* type, size_t width) {
    if (!std::all_of(values.begin(), values.end(), [](float v) { return std::isfinite(v); }))
        throw FileError(path_, "was not written on: a value is no finite number",
                        "look at the body and the take it was to be written with");
    const size_t view = add_view({reinterpret_cast<const char*>(values.data()), values.size() * 4});
    return append(
        "accessors",
        {{"bufferView", view}, {"componentType", 5126}, {"count", values.size() / width}, {"type", type}});
}

Vec3 GlbParts::translation_of(size_t index) const {
    const Json& node = json.at("nodes").at(index);
    if (node.contains("matrix")) {
        const auto m = numbers_in(node, "matrix", 16, -1e30, 1e30, path_);
        return {m[12], m[13], m[14]};
    }
    if (!node.contains("translation")) return Vec3::Zero();
    const auto p = numbers_in(node, "translation", 3, -1e30, 1e30, path_);
    return {p[0], p[1], p[2]};
}

void GlbParts::free_of_matrix(size_t index) {
    Json& node = json["nodes"][index];
    const auto at = node.find("matrix");
    if (at == node.end()) return;
    const auto numbers = numbers_in(node, "matrix", 16, -1e30, 1e30, path_);
    const NodeTransform t = transform_of(Eigen::Matrix4d(Eigen::Map<const Eigen::Matrix4d>(numbers.data())));
    node.erase("matrix");
    node["translation"] = {t.p.x(), t.p.y(), t.p.z()};
    node["rotation"] = {t.R.x(), t.R.y(), t.R.z(), t.R.w()};
    if ((t.scale - Vec3::Ones()).norm() > 1e-7) node["scale"] = {t.scale.x(), t.scale.y(), t.scale.z()};
}

void GlbParts::write(const std::string& path) {
    pad(binary_, '\0');
    if (json.contains("buffers") && !json["buffers"].empty())
        json["buffers"][0]["byteLength"] = binary_.size();
    else if (!binary_.empty())
        json["buffers"] = Json::array({{{"byteLength", binary_.size()}}});
    if (const std::string where = not_finite_in(json); !where.empty())
        throw FileError(path_, fmt::format("was not written on: '{}' is no finite number", where),
                        "look at the body it was to be written with");
    std::string text = json.dump(-1, ' ', false, Json::error_handler_t::replace);
    pad(text, ' ');
    const size_t size = 12 + 8 + text.size() + (binary_.empty() ? 0 : 8 + binary_.size());
    if (size > 0xFFFFFFFFull)
        throw FileError(path, "would be larger than 4 GB, more than a .glb can be",
                        "write a part of the take");
    std::string head = "glTF";
    append_word(head, 2);
    append_word(head, size);
    append_word(head, text.size());
    append_word(head, json_chunk);
    write_file_in_parts(path, [&](const auto& put) {
        put(head);
        put(text);
        if (binary_.empty()) return;
        std::string between;
        append_word(between, binary_.size());
        append_word(between, binary_chunk);
        put(between);
        put(binary_);
    });
}

}  // namespace nb
