#include "core/files/gltf/mesh.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/fault.hpp"

namespace nb::gltf {

namespace {

class MeshReader {
  public:
    MeshReader(const tinygltf::Model& model, const std::vector<int>& parent,
               const std::vector<int>& joint_of_node, const JointFrames& frames, const std::string& path,
               SkeletonFile& file)
        : model_(model),
          parent_(parent),
          joint_of_node_(joint_of_node),
          frames_(frames),
          path_(path),
          file_(file) {}

    void read() {
        const Pose rest = rest_pose(file_.skeleton);
        for (size_t n = 0; n < model_.nodes.size(); ++n) {
            const auto& node = model_.nodes[n];
            if (node.mesh < 0) continue;
            if (size_t(node.mesh) >= model_.meshes.size())
                throw FileError(path_, fmt::format("node {} has a mesh that does not exist", n),
                                "export the file again");
            const bool is_skinned = node.skin >= 0 && size_t(node.skin) < model_.skins.size();
            std::vector<MeshJoint> palette =
                is_skinned ? palette_of(model_.skins[size_t(node.skin)]) : rigid_palette(int(n), rest);
            if (palette.empty()) {
                file_.notes.push_back(fmt::format("the mesh '{}' hangs on no bone: it is not shown",
                                                  model_.meshes[size_t(node.mesh)].name));
                continue;
            }
            for (const auto& primitive : model_.meshes[size_t(node.mesh)].primitives)
                add(primitive, model_.meshes[size_t(node.mesh)].name, palette, is_skinned);
        }
        tell();
    }

  private:
    const tinygltf::Model& model_;
    const std::vector<int>& parent_;
    const std::vector<int>& joint_of_node_;
    const JointFrames& frames_;
    const std::string& path_;
    SkeletonFile& file_;
    size_t unweighted_ = 0;
    size_t unnormalised_ = 0;
    size_t crowded_ = 0;
    int morph_targets_ = 0;

    std::vector<MeshJoint> palette_of(const tinygltf::Skin& skin) const {
        std::vector<double> binds;
        if (skin.inverseBindMatrices >= 0) binds = read_rows(model_, skin.inverseBindMatrices, 16, path_);
        std::vector<MeshJoint> palette;
        for (size_t k = 0; k < skin.joints.size(); ++k) {
            MeshJoint bound;
            bound.joint = joint_of_node_[size_t(skin.joints[k])];
            if (16 * (k + 1) <= binds.size())
                bound.attach = Eigen::Map<const Eigen::Matrix4d>(&binds[16 * k]);
            bound.attach.topRows<3>() =
                frames_.own_scale(bound.joint) * Eigen::Matrix<double, 3, 4>(bound.attach.topRows<3>());
            palette.push_back(bound);
        }
        return palette;
    }

    Eigen::Matrix4d global(int node) const {
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        for (int n = node; n >= 0; n = parent_[size_t(n)])
            m = matrix_of(transform_of(model_.nodes[size_t(n)])) * m;
        return m;
    }

    std::vector<MeshJoint> rigid_palette(int node, const Pose& rest) const {
        int up = node;
        while (up >= 0 && joint_of_node_[size_t(up)] < 0) up = parent_[size_t(up)];
        if (up < 0) return {};
        MeshJoint bound;
        bound.joint = joint_of_node_[size_t(up)];
        const size_t j = size_t(bound.joint);
        Eigen::Matrix4d X_JW = Eigen::Matrix4d::Identity();
        const Mat3 R = rest.R[j].toRotationMatrix().transpose();
        X_JW.block<3, 3>(0, 0) = R;
        X_JW.block<3, 1>(0, 3) = -R * rest.p[j];
        bound.attach = X_JW * global(node);
        return {bound};
    }

    int accessor(const tinygltf::Primitive& primitive, const char* name) const {
        const auto at = primitive.attributes.find(name);
        return at == primitive.attributes.end() ? -1 : at->second;
    }

    void add(const tinygltf::Primitive& primitive, const std::string& name,
             const std::vector<MeshJoint>& palette, bool is_skinned) {
        const int mode = primitive.mode < 0 ? TINYGLTF_MODE_TRIANGLES : primitive.mode;
        if (mode < TINYGLTF_MODE_TRIANGLES) return;  // points and lines
        if (accessor(primitive, "POSITION") < 0) return;
        Mesh mesh;
        mesh.name = name;
        mesh.palette = palette;
        const auto positions = read_values(model_, accessor(primitive, "POSITION"), 3, path_);
        const size_t count = positions.size() / 3;
        mesh.positions.resize(count);
        for (size_t v = 0; v < count; ++v)
            mesh.positions[v] =
                Eigen::Vector3d(positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]).cast<float>();
        read_indices(primitive, mode, count, mesh);
        read_normals(primitive, count, mesh);
        if (const int a = accessor(primitive, "TEXCOORD_0"); a >= 0) {
            const auto values = read_values(model_, a, 2, path_);
            if (values.size() == 2 * count)
                for (size_t v = 0; v < count; ++v)
                    mesh.uvs.emplace_back(float(values[2 * v]), float(values[2 * v + 1]));
        }
        if (const int a = accessor(primitive, "COLOR_0"); a >= 0 && size_t(a) < model_.accessors.size()) {
            const int width = model_.accessors[size_t(a)].type == TINYGLTF_TYPE_VEC4 ? 4 : 3;
            const auto values = read_values(model_, a, width, path_);
            const size_t w = size_t(width);
            if (values.size() == w * count)
                for (size_t v = 0; v < count; ++v)
                    mesh.colours.emplace_back(float(values[w * v]), float(values[w * v + 1]),
                                              float(values[w * v + 2]),
                                              width == 4 ? float(values[w * v + 3]) : 1.0f);
        }
        read_material(primitive.material, mesh);
        mesh.morph_target_count = int(primitive.targets.size());
        morph_targets_ = std::max(morph_targets_, mesh.morph_target_count);
        read_skin(primitive, count, is_skinned, mesh);
        file_.meshes.push_back(std::move(mesh));
    }

    void read_indices(const tinygltf::Primitive& primitive, int mode, size_t count, Mesh& mesh) const {
        std::vector<std::uint32_t> raw;
        if (primitive.indices >= 0) {
            for (const double v : read_values(model_, primitive.indices, 1, path_)) {
                if (v < 0 || v >= double(count))
                    throw FileError(
                        path_, fmt::format("the mesh '{}' refers to a vertex that does not exist", mesh.name),
                        "export the file again");
                raw.push_back(std::uint32_t(v));
            }
        } else {
            for (size_t v = 0; v < count; ++v) raw.push_back(std::uint32_t(v));
        }
        if (mode == TINYGLTF_MODE_TRIANGLES) {
            raw.resize(raw.size() / 3 * 3);
            mesh.indices = std::move(raw);
            return;
        }
        for (size_t i = 2; i < raw.size(); ++i) {
            if (mode == TINYGLTF_MODE_TRIANGLE_FAN)
                mesh.indices.insert(mesh.indices.end(), {raw[0], raw[i - 1], raw[i]});
            else if (i % 2 == 0)
                mesh.indices.insert(mesh.indices.end(), {raw[i - 2], raw[i - 1], raw[i]});
            else
                mesh.indices.insert(mesh.indices.end(), {raw[i - 1], raw[i - 2], raw[i]});
        }
    }

    void read_normals(const tinygltf::Primitive& primitive, size_t count, Mesh& mesh) const {
        if (const int a = accessor(primitive, "NORMAL"); a >= 0) {
            const auto values = read_values(model_, a, 3, path_);
            if (values.size() == 3 * count) {
                for (size_t v = 0; v < count; ++v)
                    mesh.normals.push_back(
                        Eigen::Vector3d(values[3 * v], values[3 * v + 1], values[3 * v + 2])
                            .cast<float>()
                            .normalized());
                return;
            }
        }
        mesh.normals.assign(count, Eigen::Vector3f::Zero());
        for (size_t i = 0; i + 2 < mesh.indices.size(); i += 3) {
            const auto a = mesh.indices[i], b = mesh.indices[i + 1], c = mesh.indices[i + 2];
            const Eigen::Vector3f n =
                (mesh.positions[b] - mesh.positions[a]).cross(mesh.positions[c] - mesh.positions[a]);
            for (const auto v : {a, b, c}) mesh.normals[v] += n;
        }
        for (auto& n : mesh.normals) n = n.norm() > 1e-20f ? n.normalized() : Eigen::Vector3f::UnitY();
    }

    void read_material(int index, Mesh& mesh) {
        if (index < 0 || size_t(index) >= model_.materials.size()) return;
        const auto& look = model_.materials[size_t(index)].pbrMetallicRoughness;
        for (size_t c = 0; c < std::min<size_t>(4, look.baseColorFactor.size()); ++c)
            mesh.base_colour[Eigen::Index(c)] = float(look.baseColorFactor[c]);
        const int texture = look.baseColorTexture.index;
        if (texture < 0 || size_t(texture) >= model_.textures.size() || look.baseColorTexture.texCoord != 0)
            return;
        const int image = model_.textures[size_t(texture)].source;
        if (image < 0 || size_t(image) >= model_.images.size()) return;
        const auto& data = model_.images[size_t(image)].image;
        if (data.empty()) return;
        const std::string bytes(data.begin(), data.end());
        const auto same = std::find(file_.images.begin(), file_.images.end(), bytes);
        mesh.image = int(same - file_.images.begin());
        if (same == file_.images.end()) file_.images.push_back(bytes);
    }

    void read_skin(const tinygltf::Primitive& primitive, size_t count, bool is_skinned, Mesh& mesh) {
        mesh.skin.assign(count, VertexSkin{});
        if (is_skinned) {
            for (size_t set = 0; set < 2; ++set) {
                const int joints = accessor(primitive, set ? "JOINTS_1" : "JOINTS_0");
                const int weights = accessor(primitive, set ? "WEIGHTS_1" : "WEIGHTS_0");
                if (joints < 0 || weights < 0) continue;
                const auto j = read_values(model_, joints, 4, path_);
                const auto w = read_values(model_, weights, 4, path_);
                if (j.size() != 4 * count || w.size() != 4 * count)
                    throw FileError(path_,
                                    fmt::format("the mesh '{}' has not one weight a vertex", mesh.name),
                                    "export the file again");
                for (size_t v = 0; v < count; ++v)
                    for (size_t k = 0; k < 4; ++k) {
                        const double joint = j[4 * v + k];
                        const double weight = std::max(0.0, w[4 * v + k]);
                        if (weight > 0 && (joint < 0 || joint >= double(mesh.palette.size())))
                            throw FileError(
                                path_,
                                fmt::format("the mesh '{}' has a weight on a bone that does not exist",
                                            mesh.name),
                                "export the file again");
                        mesh.skin[v].palette[4 * set + k] = std::uint16_t(weight > 0 ? joint : 0);
                        mesh.skin[v].weight[4 * set + k] = float(weight);
                    }
                if (set == 1) ++crowded_;
            }
        }
        for (VertexSkin& skin : mesh.skin) {
            const float sum = is_skinned ? normalise_weights(skin, file_.facts) : normalise_weights(skin);
            if (!(sum > 0.0f)) {
                if (is_skinned) ++unweighted_;
            } else if (std::abs(sum - 1.0f) > 1e-3f) {
                ++unnormalised_;
            }
        }
    }

    void tell() {
        if (unweighted_)
            file_.notes.push_back(fmt::format(
                "{} vertices have no weight: they follow the first bone of their skin", unweighted_));
        if (unnormalised_)
            file_.notes.push_back(fmt::format(
                "the weights of {} vertices do not add up to 1: they are brought to 1", unnormalised_));
        if (crowded_) file_.notes.emplace_back("vertices have up to eight weights: all are used");
        if (morph_targets_)
            file_.notes.push_back(
                fmt::format("{} morph targets are kept in the file, not shown", morph_targets_));
    }
};

}  // namespace

void read_meshes(const tinygltf::Model& model, const std::vector<int>& parent,
                 const std::vector<int>& joint_of_node, const JointFrames& frames, const std::string& path,
                 SkeletonFile& file) {
    MeshReader(model, parent, joint_of_node, frames, path, file).read();
}

}  // namespace nb::gltf
