#include "core/io/gltf_patch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "core/io/file_error.hpp"

namespace nb {

namespace {

using Json = nlohmann::ordered_json;

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

/// The JSON and the one binary buffer of a glTF file.
struct Parts {
    Json json;
    std::string binary;
};

class Patcher {
  public:
    Patcher(const Character& character, const Take& take) : take_(take), rig_(character.rig) {}

    std::string patch() {
        read();
        pad(parts_.binary, '\0');
        add_animation();
        if (parts_.json.contains("buffers") && !parts_.json["buffers"].empty())
            parts_.json["buffers"][0]["byteLength"] = parts_.binary.size();
        else
            parts_.json["buffers"] = Json::array({{{"byteLength", parts_.binary.size()}}});
        std::string text = parts_.json.dump();
        pad(text, ' ');
        std::string binary = std::move(parts_.binary);
        pad(binary, '\0');
        std::string bytes = "glTF";
        append_word(bytes, 2);
        append_word(bytes, 12 + 8 + text.size() + 8 + binary.size());
        append_word(bytes, text.size());
        append_word(bytes, json_chunk);
        bytes += text;
        append_word(bytes, binary.size());
        append_word(bytes, binary_chunk);
        bytes += binary;
        return bytes;
    }

  private:
    const Take& take_;
    const Rig& rig_;
    Parts parts_;

    std::string beside(const std::string& uri) const {
        if (uri.starts_with("data:")) {
            const size_t comma = uri.find(',');
            return comma == std::string::npos ? std::string()
                                              : decode_base64(std::string_view(uri).substr(comma + 1));
        }
        return read_file((std::filesystem::path(rig_.path).parent_path() / uri).string());
    }

    void read() {
        const std::string bytes = read_file(rig_.path);
        try {
            if (bytes.starts_with("glTF")) {
                const size_t length = word_at(bytes, 12);
                parts_.json = Json::parse(bytes.substr(20, length));
                const size_t at = 20 + length;
                if (at + 8 <= bytes.size() && word_at(bytes, at + 4) == binary_chunk)
                    parts_.binary = bytes.substr(at + 8, word_at(bytes, at));
            } else {
                parts_.json = Json::parse(bytes);
            }
            pack_buffers();
        } catch (const Json::exception&) {
            throw FileError(rig_.path, "is no longer the glTF file that was read", "open it again");
        }
        const size_t count = parts_.json.contains("nodes") ? parts_.json["nodes"].size() : 0;
        for (size_t j = 0; j < rig_.nodes.size(); ++j) {
            const int node = rig_.nodes[j].node;
            if (size_t(node) >= count || parts_.json["nodes"][size_t(node)].value(
                                             "name", fmt::format("node_{}", node)) != rig_.skeleton.names[j])
                throw FileError(rig_.path, "is no longer the file that was read: its nodes have changed",
                                "open it again");
        }
    }

    /// All buffers, wherever they lie, become the one of the binary chunk.
    void pack_buffers() {
        if (!parts_.json.contains("buffers")) return;
        Json& buffers = parts_.json["buffers"];
        std::vector<size_t> offsets;
        std::string whole;
        for (const Json& buffer : buffers) {
            pad(whole, '\0');
            offsets.push_back(whole.size());
            std::string data =
                buffer.contains("uri") ? beside(buffer["uri"].get<std::string>()) : parts_.binary;
            data.resize(buffer.value("byteLength", data.size()));
            whole += data;
        }
        if (parts_.json.contains("bufferViews"))
            for (Json& view : parts_.json["bufferViews"]) {
                const size_t buffer = view.at("buffer").get<size_t>();
                if (buffer >= offsets.size())
                    throw FileError(rig_.path, "has a buffer view without a buffer", "export the file again");
                if (buffers.size() > 1 && offsets[buffer] > 0)
                    view["byteOffset"] = view.value("byteOffset", size_t(0)) + offsets[buffer];
                view["buffer"] = 0;
            }
        if (buffers.size() == 1)
            buffers[0].erase("uri");
        else
            buffers = Json::array({Json::object()});
        parts_.binary = std::move(whole);
        if (!parts_.json.contains("images")) return;
        for (Json& image : parts_.json["images"]) {
            if (!image.contains("uri") || image["uri"].get<std::string>().starts_with("data:")) continue;
            const std::string uri = image["uri"].get<std::string>();
            const std::string data = beside(uri);
            image.erase("uri");
            image["mimeType"] = uri.ends_with(".png") ? "image/png" : "image/jpeg";
            image["bufferView"] = add_view(data);
        }
    }

    size_t add_view(std::string_view data) {
        pad(parts_.binary, '\0');
        Json& views = parts_.json["bufferViews"];
        if (views.is_null()) views = Json::array();
        views.push_back({{"buffer", 0}, {"byteOffset", parts_.binary.size()}, {"byteLength", data.size()}});
        parts_.binary.append(data);
        return views.size() - 1;
    }

    size_t add_floats(const std::vector<float>& values, const char* type, size_t width) {
        const size_t view = add_view({reinterpret_cast<const char*>(values.data()), values.size() * 4});
        Json& accessors = parts_.json["accessors"];
        if (accessors.is_null()) accessors = Json::array();
        accessors.push_back({{"bufferView", view},
                             {"componentType", 5126},
                             {"count", values.size() / width},
                             {"type", type}});
        return accessors.size() - 1;
    }

    /// A node that is animated stands in translation, rotation and scale, not in a matrix.
    void free_of_matrix(Json& node) const {
        const auto at = node.find("matrix");
        if (at == node.end()) return;
        const auto numbers = at->get<std::vector<double>>();
        if (numbers.size() != 16)
            throw FileError(rig_.path, "a node's matrix is not of sixteen numbers", "export the file again");
        const Eigen::Map<const Eigen::Matrix4d> m(numbers.data());
        Mat3 linear = m.block<3, 3>(0, 0);
        Vec3 scale;
        for (int c = 0; c < 3; ++c) scale[c] = std::max(1e-12, linear.col(c).norm());
        if (linear.determinant() < 0) scale.x() = -scale.x();
        for (int c = 0; c < 3; ++c) linear.col(c) /= scale[c];
        const Quat R = Quat(linear).normalized();
        node.erase("matrix");
        node["translation"] = {m(0, 3), m(1, 3), m(2, 3)};
        node["rotation"] = {R.x(), R.y(), R.z(), R.w()};
        if ((scale - Vec3::Ones()).norm() > 1e-7) node["scale"] = {scale.x(), scale.y(), scale.z()};
    }

    void add_animation() {
        const Quat& R_WF = rig_.conventions.R_WF;
        const Quat R_FW = R_WF.conjugate();
        std::vector<float> times;
        times.reserve(size_t(take_.frames));
        for (int f = 0; f < take_.frames; ++f) times.push_back(float(f * take_.frame_time_s));
        const size_t input = add_floats(times, "SCALAR", 1);
        parts_.json["accessors"][input]["min"] = {times.front()};
        parts_.json["accessors"][input]["max"] = {times.back()};
        Json animation = {{"name", take_.name.empty() ? "take" : take_.name},
                          {"channels", Json::array()},
                          {"samplers", Json::array()}};
        const auto add_channel = [&](int joint, const char* what, size_t output) {
            const int node = rig_.nodes[size_t(joint)].node;
            free_of_matrix(parts_.json["nodes"][size_t(node)]);
            animation["samplers"].push_back(
                {{"input", input}, {"output", output}, {"interpolation", "LINEAR"}});
            animation["channels"].push_back({{"sampler", animation["samplers"].size() - 1},
                                             {"target", {{"node", node}, {"path", what}}}});
        };
        std::vector<float> values;
        for (int j = 0; j < take_.joints; ++j) {
            // Bones that never leave the rest need no keys.
            bool is_turned = false;
            for (int f = 0; f < take_.frames && !is_turned; ++f)
                is_turned =
                    angle_between(take_.rotations(f)[size_t(j)], rig_.skeleton.rest_R[size_t(j)]) > 1e-7;
            if (!is_turned) continue;
            const Vec3& flip = rig_.nodes[size_t(j)].flip_above;
            values.clear();
            Quat before = Quat::Identity();
            for (int f = 0; f < take_.frames; ++f) {
                const Quat R = R_FW * take_.rotations(f)[size_t(j)] * R_WF;
                Quat in_file(R.w(), flip.y() * flip.z() * R.x(), flip.x() * flip.z() * R.y(),
                             flip.x() * flip.y() * R.z());
                in_file.normalize();
                if (in_file.dot(before) < 0) in_file.coeffs() = -in_file.coeffs();
                before = in_file;
                // Of unit length also in single precision, as validators ask.
                const Eigen::Vector4f single = in_file.coeffs().cast<float>().normalized();
                for (int c = 0; c < 4; ++c) values.push_back(single[c]);
            }
            add_channel(j, "rotation", add_floats(values, "VEC4", 4));
        }
        for (size_t m = 0; m < take_.translated.size(); ++m) {
            const int joint = take_.translated[m];
            const FileNode& at = rig_.nodes[size_t(joint)];
            values.clear();
            for (int f = 0; f < take_.frames; ++f) {
                const Vec3 in_file = at.flip_above.cwiseProduct(Vec3(R_FW * take_.translations(f)[m])) /
                                     (rig_.conventions.unit_m * at.scale_above);
                for (int axis = 0; axis < 3; ++axis) values.push_back(float(in_file[axis]));
            }
            add_channel(joint, "translation", add_floats(values, "VEC3", 3));
        }
        Json& animations = parts_.json["animations"];
        if (animations.is_null()) animations = Json::array();
        if (!animation["channels"].empty()) animations.push_back(animation);
    }
};

}  // namespace

void patch_glb(const std::string& path, const Character& character, const Take& take) {
    if (take.frames < 1) throw FileError(path, "there are no frames to write", "choose a longer range");
    write_file(path, Patcher(character, take).patch());
}

}  // namespace nb
