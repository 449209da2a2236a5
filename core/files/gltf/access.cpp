#include "core/files/gltf/access.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/files/gltf/guard.hpp"

namespace nb::gltf {

namespace {

struct Rows {
    const unsigned char* first = nullptr;
    size_t stride = 0;
    size_t count = 0;
};

double component(const unsigned char* at, int type, bool is_normalised) {
    const auto get = [at](auto value) {
        std::memcpy(&value, at, sizeof value);
        return value;
    };
    switch (type) {
        case TINYGLTF_COMPONENT_TYPE_BYTE: {
            const double v = double(get(std::int8_t{}));
            return is_normalised ? std::max(v / 127.0, -1.0) : v;
        }
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE:
            return double(get(std::uint8_t{})) / (is_normalised ? 255.0 : 1.0);
        case TINYGLTF_COMPONENT_TYPE_SHORT: {
            const double v = double(get(std::int16_t{}));
            return is_normalised ? std::max(v / 32767.0, -1.0) : v;
        }
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
            return double(get(std::uint16_t{})) / (is_normalised ? 65535.0 : 1.0);
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT:
            return double(get(std::uint32_t{}));
        default:
            return double(get(float{}));
    }
}

/// The part of a buffer that holds `count` rows of `row` bytes, checked.
Rows rows_of(const tinygltf::Model& model, int view_index, size_t offset, size_t count, size_t row,
             size_t stride, const std::function<FileError(const char*)>& bad) {
    if (view_index < 0 || size_t(view_index) >= model.bufferViews.size()) throw bad("has no buffer view");
    const auto& view = model.bufferViews[size_t(view_index)];
    if (view.buffer < 0 || size_t(view.buffer) >= model.buffers.size()) throw bad("has no buffer");
    const auto& data = model.buffers[size_t(view.buffer)].data;
    if (stride == 0) stride = view.byteStride ? view.byteStride : row;
    if (stride < row) throw bad("has a stride too small");
    const size_t start = view.byteOffset + offset;
    if (count > 0 &&
        (start > data.size() || count > (data.size() - start) / row + 1 ||
         (count - 1) > (data.size() - start) / stride || start + (count - 1) * stride + row > data.size()))
        throw bad("reaches beyond its buffer");
    return {data.data() + start, stride, count};
}

/// The first sentence of what the library says, without its own names.
std::string plain_words(std::string error) {
    if (error.find("json.exception") != std::string::npos || error.find("type must be") != std::string::npos)
        return "a value is of the wrong kind";
    error = error.substr(0, std::min(error.find('\n'), size_t{120}));
    while (!error.empty() && (error.back() == '.' || error.back() == ' ')) error.pop_back();
    return error.empty() ? "a value is of the wrong kind" : error;
}

}  // namespace

std::vector<double> read_values(const tinygltf::Model& model, int accessor_index, int width,
                                const std::string& path) {
    const auto bad = [&](const char* what) {
        return FileError(path, fmt::format("accessor {}: {}", accessor_index, what), "export the file again");
    };
    if (accessor_index < 0 || size_t(accessor_index) >= model.accessors.size()) throw bad("does not exist");
    const auto& accessor = model.accessors[size_t(accessor_index)];
    if (tinygltf::GetNumComponentsInType(uint32_t(accessor.type)) != width)
        throw bad("has another width than its use needs");
    const int size = tinygltf::GetComponentSizeInBytes(uint32_t(accessor.componentType));
    if (size != 1 && size != 2 && size != 4) throw bad("has an unknown type of number");
    const size_t row = size_t(width) * size_t(size);
    if (accessor.count > (size_t(1) << 28)) throw bad("reaches beyond its buffer");
    std::vector<double> values;
    const auto take = [&](const unsigned char* at, size_t into) {
        for (size_t c = 0; c < size_t(width); ++c) {
            const double v = component(at + c * size_t(size), accessor.componentType, accessor.normalized);
            if (!std::isfinite(v)) throw bad("holds a number that is not finite");
            values[into * size_t(width) + c] = v;
        }
    };
    if (accessor.bufferView >= 0) {
        const Rows rows =
            rows_of(model, accessor.bufferView, accessor.byteOffset, accessor.count, row, 0, bad);
        values.resize(accessor.count * size_t(width));
        for (size_t i = 0; i < rows.count; ++i) take(rows.first + i * rows.stride, i);
    } else {
        if (!accessor.sparse.isSparse) throw bad("has no buffer view");
        values.resize(accessor.count * size_t(width), 0.0);
    }
    if (accessor.sparse.isSparse) {
        const auto& sparse = accessor.sparse;
        const int index_size = tinygltf::GetComponentSizeInBytes(uint32_t(sparse.indices.componentType));
        if (sparse.count < 0 || (index_size != 1 && index_size != 2 && index_size != 4))
            throw bad("has sparse values that cannot be read");
        const Rows where = rows_of(model, sparse.indices.bufferView, sparse.indices.byteOffset,
                                   size_t(sparse.count), size_t(index_size), size_t(index_size), bad);
        const Rows what = rows_of(model, sparse.values.bufferView, sparse.values.byteOffset,
                                  size_t(sparse.count), row, row, bad);
        for (size_t i = 0; i < where.count; ++i) {
            const auto into =
                size_t(component(where.first + i * where.stride, sparse.indices.componentType, false));
            if (into >= accessor.count) throw bad("has a sparse value beyond its end");
            take(what.first + i * what.stride, into);
        }
    }
    return values;
}

std::vector<double> read_rows(const tinygltf::Model& model, int accessor_index, int width,
                              const std::string& path) {
    if (accessor_index >= 0 && size_t(accessor_index) < model.accessors.size() &&
        model.accessors[size_t(accessor_index)].componentType != TINYGLTF_COMPONENT_TYPE_FLOAT && width == 1)
        throw FileError(path, fmt::format("accessor {}: times are not floats", accessor_index),
                        "export the file again");
    return read_values(model, accessor_index, width, path);
}

NodeTransform transform_of(const tinygltf::Node& node) {
    if (node.matrix.size() == 16)
        return nb::transform_of(Eigen::Matrix4d(Eigen::Map<const Eigen::Matrix4d>(node.matrix.data())));
    NodeTransform t;
    if (node.rotation.size() == 4) {
        t.R = Quat(node.rotation[3], node.rotation[0], node.rotation[1], node.rotation[2]);
        t.R = t.R.norm() > 1e-9 ? t.R.normalized() : Quat::Identity();
    }
    if (node.translation.size() == 3) t.p = {node.translation[0], node.translation[1], node.translation[2]};
    if (node.scale.size() == 3) t.scale = {node.scale[0], node.scale[1], node.scale[2]};
    return t;
}

tinygltf::Model read_model(const std::string& path, std::string* encoding) {
    std::string bytes = read_file(path);
    const Guarded guarded = guard(bytes, path);
    if (encoding) *encoding = guarded.encoding;
    tinygltf::TinyGLTF loader;
    // Pictures stay encoded.
    loader.SetImageLoader(
        [](tinygltf::Image* image, int, std::string*, std::string*, int, int, const unsigned char* data,
           int size, void*) {
            image->image.assign(data, data + size);
            return true;
        },
        nullptr);
    tinygltf::Model model;
    std::string error;
    std::string warning;
    const std::string folder = std::filesystem::path(path).parent_path().string();
    bool is_read = false;
    try {
        is_read = bytes.starts_with("glTF")
                      ? loader.LoadBinaryFromMemory(&model, &error, &warning,
                                                    reinterpret_cast<const unsigned char*>(bytes.data()),
                                                    unsigned(bytes.size()), folder)
                      : loader.LoadASCIIFromString(&model, &error, &warning, bytes.data(),
                                                   unsigned(bytes.size()), folder);
    } catch (const std::exception& e) {
        error = e.what();
    }
    if (!is_read) {
        throw FileError(path, fmt::format("is no valid glTF ({})", plain_words(error)),
                        "export the file again");
    }
    return model;
}

}  // namespace nb::gltf
