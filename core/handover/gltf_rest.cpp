#include "core/handover/gltf_rest.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <set>

#include "core/base/fault.hpp"
#include "core/files/gltf/access.hpp"
#include "core/files/gltf/glb_parts.hpp"
#include "core/files/gltf/glb_rig.hpp"
#include "core/handover/glb_animation.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

using Mat4 = Eigen::Matrix4d;

class Rebinder {
  public:
    explicit Rebinder(const Character& character)
        : character_(character),
          rig_(character.rig),
          parts_(character.rig),
          model_(gltf::read_model(character.rig.path)) {}

    void write(const std::string& path) {
        keep_old_values();
        stand_joints();
        find_globals();
        bind_meshes();
        bind_skins();
        parts_.write(path);
    }

  private:
    const Character& character_;
    const Rig& rig_;
    GlbParts parts_;
    tinygltf::Model model_;
    std::vector<Mat4> after_;             // global matrices of the nodes, in the new rest
    std::map<std::string, size_t> made_;  // accessors already transformed
    std::map<int, int> skin_of_mesh_;
    std::vector<std::vector<Mat4>> skin_matrices_;

    /// Global matrices of all nodes as the JSON has them now.
    void find_globals() {
        const size_t count = model_.nodes.size();
        after_.assign(count, Mat4::Identity());
        std::vector<int> parent(count, -1);
        for (size_t n = 0; n < count; ++n)
            for (const int child : model_.nodes[n].children) parent[size_t(child)] = int(n);
        for (size_t n = 0; n < count; ++n)
            for (int up = int(n); up >= 0; up = parent[size_t(up)]) after_[n] = local(size_t(up)) * after_[n];
    }
    Mat4 local(size_t node) const {
        const Json& json = parts_.json["nodes"][node];
        if (json.contains("matrix")) {
            const auto m = numbers_in(json, "matrix", 16, -1e30, 1e30, rig_.path);
            return Eigen::Map<const Mat4>(m.data());
        }
        const auto numbers = [&](const char* key, const std::vector<double>& otherwise) {
            return json.contains(key) ? numbers_in(json, key, otherwise.size(), -1e30, 1e30, rig_.path)
                                      : otherwise;
        };
        const auto t = numbers("translation", {0, 0, 0});
        const auto r = numbers("rotation", {0, 0, 0, 1});
        const auto s = numbers("scale", {1, 1, 1});
        NodeTransform transform;
        transform.p = {t[0], t[1], t[2]};
        transform.R = Quat(r[3], r[0], r[1], r[2]).normalized();
        transform.scale = {s[0], s[1], s[2]};
        return matrix_of(transform);
    }

    Quat local_R(int joint) const {
        const int parent = rig_.skeleton.parents[size_t(joint)];
        const auto& R = character_.rest.R_WJ0;
        return parent < 0 ? R[size_t(joint)] : Quat(R[size_t(parent)].conjugate() * R[size_t(joint)]);
    }
    bool is_turned(int joint) const {
        return angle_between(local_R(joint), rig_.skeleton.rest_R[size_t(joint)]) > 1e-7;
    }

    void stand_joints() {
        const Quat& R_WF = rig_.conventions.R_WF;
        const Quat R_FW = R_WF.conjugate();
        const int hips = character_.roles.joint("hips");
        for (int joint = 0; joint < rig_.skeleton.size(); ++joint) {
            const FileNode& at = rig_.nodes[size_t(joint)];
            Json& node = parts_.json["nodes"][size_t(at.node)];
            if (is_turned(joint) || joint == hips) parts_.free_of_matrix(size_t(at.node));
            if (is_turned(joint)) {
                const Quat R = JointFrames::rotation(at, R_FW * local_R(joint) * R_WF).normalized();
                node["rotation"] = {R.x(), R.y(), R.z(), R.w()};
            }
            if (joint != hips) continue;
            // What is above the hips stays where it is; the hips come over the origin.
            Vec3 p = character_.rest.p_WJ0[size_t(joint)];
            if (const int parent = rig_.skeleton.parents[size_t(joint)]; parent >= 0) {
                const Pose stored = rest_pose(rig_.skeleton);
                p = stored.R[size_t(parent)].conjugate() * (p - stored.p[size_t(parent)]);
            }
            const Vec3 in_file =
                at.flip_above.cwiseProduct(Vec3(R_FW * p)) / (rig_.conventions.unit_m * at.scale_above);
            node["translation"] = {in_file.x(), in_file.y(), in_file.z()};
        }
    }

    /// Animations that left a joint at the old rest say so from now on.
    void keep_old_values() {
        if (!parts_.json.contains("animations")) return;
        const int hips = character_.roles.joint("hips");
        for (Json& animation : parts_.json["animations"]) {
            std::set<std::pair<int, std::string>> has;
            for (const Json& channel : animation["channels"])
                if (channel["target"].contains("node"))
                    has.insert(
                        {channel["target"]["node"].get<int>(), channel["target"]["path"].get<std::string>()});
            const auto keep = [&](int node, const char* what, const std::vector<float>& value) {
                if (has.contains({node, what})) return;
                const size_t input = parts_.add_floats({0.0f}, "SCALAR", 1);
                parts_.json["accessors"][input]["min"] = {0.0};
                parts_.json["accessors"][input]["max"] = {0.0};
                const size_t output =
                    parts_.add_floats(value, value.size() == 4 ? "VEC4" : "VEC3", value.size());
                animation["samplers"].push_back(
                    {{"input", input}, {"output", output}, {"interpolation", "LINEAR"}});
                animation["channels"].push_back({{"sampler", animation["samplers"].size() - 1},
                                                 {"target", {{"node", node}, {"path", what}}}});
            };
            for (int joint = 0; joint < rig_.skeleton.size(); ++joint) {
                const int node = rig_.nodes[size_t(joint)].node;
                const NodeTransform old = transform_of(local(size_t(node)));
                if (is_turned(joint)) {
                    const Eigen::Vector4f q = old.R.coeffs().cast<float>().normalized();
                    keep(node, "rotation", {q.x(), q.y(), q.z(), q.w()});
                }
                if (joint == hips)
                    keep(node, "translation", {float(old.p.x()), float(old.p.y()), float(old.p.z())});
            }
        }
    }

    std::vector<Mat4> matrices_of(const tinygltf::Skin& skin) const {
        std::vector<double> binds;
        if (skin.inverseBindMatrices >= 0)
            binds = gltf::read_rows(model_, skin.inverseBindMatrices, 16, rig_.path);
        std::vector<Mat4> matrices;
        matrices.reserve(skin.joints.size());
        for (size_t k = 0; k < skin.joints.size(); ++k) {
            if (skin.joints[k] < 0 || size_t(skin.joints[k]) >= after_.size())
                throw FileError(rig_.path, "has a skin with a joint that does not exist",
                                "export the file again");
            const Mat4 bind = 16 * (k + 1) <= binds.size() ? Mat4(Eigen::Map<const Mat4>(&binds[16 * k]))
                                                           : Mat4(Mat4::Identity());
            matrices.push_back(after_[size_t(skin.joints[k])] * bind);
        }
        return matrices;
    }

    void bind_meshes() {
        for (const auto& skin : model_.skins) skin_matrices_.push_back(matrices_of(skin));
        for (const auto& node : model_.nodes) {
            if (node.mesh < 0 || node.skin < 0) continue;
            if (size_t(node.mesh) >= model_.meshes.size() || size_t(node.skin) >= model_.skins.size())
                throw FileError(rig_.path, "has a node whose mesh or skin does not exist",
                                "export the file again");
            if (skin_matrices_[size_t(node.skin)].empty())
                throw FileError(rig_.path,
                                fmt::format("has a skin without joints under the mesh '{}'",
                                            model_.meshes[size_t(node.mesh)].name),
                                "bind the mesh to bones and export it again");
            const auto [at, is_new] = skin_of_mesh_.try_emplace(node.mesh, node.skin);
            if (at->second != node.skin)
                throw FileError(rig_.path,
                                fmt::format("the mesh '{}' hangs on two skins: it cannot stand in two rests",
                                            model_.meshes[size_t(node.mesh)].name),
                                "give each skin a mesh of its own");
            if (!is_new) continue;
            const auto& primitives = model_.meshes[size_t(node.mesh)].primitives;
            for (size_t k = 0; k < primitives.size(); ++k)
                bind_primitive(primitives[k], parts_.json["meshes"][size_t(node.mesh)]["primitives"][k],
                               node.skin);
        }
    }

    /// M_v of every vertex.
    std::vector<Mat4> blends(const tinygltf::Primitive& primitive, int skin, size_t count) const {
        std::vector<Mat4> result(count, Mat4::Zero());
        std::vector<double> sums(count, 0.0);
        for (int set = 0; set < 2; ++set) {
            const auto joints = primitive.attributes.find(fmt::format("JOINTS_{}", set));
            const auto weights = primitive.attributes.find(fmt::format("WEIGHTS_{}", set));
            if (joints == primitive.attributes.end() || weights == primitive.attributes.end()) continue;
            const auto slots = gltf::read_values(model_, joints->second, 4, rig_.path);
            const auto shares = gltf::read_values(model_, weights->second, 4, rig_.path);
            for (size_t i = 0; i < std::min({4 * count, slots.size(), shares.size()}); ++i) {
                const auto slot = size_t(slots[i]);
                if (shares[i] == 0.0 || slot >= skin_matrices_[size_t(skin)].size()) continue;
                result[i / 4] += shares[i] * skin_matrices_[size_t(skin)][slot];
                sums[i / 4] += shares[i];
            }
        }
        for (size_t v = 0; v < count; ++v)
            result[v] = sums[v] > 1e-9 ? Mat4(result[v] / sums[v]) : skin_matrices_[size_t(skin)].front();
        return result;
    }

    void bind_primitive(const tinygltf::Primitive& primitive, Json& json, int skin) {
        const auto at = primitive.attributes.find("POSITION");
        if (at == primitive.attributes.end()) return;
        const auto positions = gltf::read_values(model_, at->second, 3, rig_.path);
        const size_t count = positions.size() / 3;
        const auto M = blends(primitive, skin, count);
        const auto attribute = [&](const char* name) {
            const auto found = primitive.attributes.find(name);
            return found == primitive.attributes.end() ? -1 : found->second;
        };
        const std::string of =
            fmt::format("{}/{}/{}/{}", skin, at->second, attribute("JOINTS_0"), attribute("WEIGHTS_0"));
        std::vector<Mat3> inverse_transpose(count);
        for (size_t v = 0; v < count; ++v)
            inverse_transpose[v] = M[v].block<3, 3>(0, 0).inverse().transpose();
        json["attributes"]["POSITION"] = moved(of + "/p", positions, 3, true, [&](size_t v, const Vec3& p) {
            return Vec3((M[v] * p.homogeneous()).head<3>());
        });
        std::vector<double> normals;
        if (const int a = attribute("NORMAL"); a >= 0) {
            normals = gltf::read_values(model_, a, 3, rig_.path);
            json["attributes"]["NORMAL"] =
                moved(fmt::format("{}/n{}", of, a), normals, 3, false,
                      [&](size_t v, const Vec3& n) { return Vec3((inverse_transpose[v] * n).normalized()); });
        }
        if (const int a = attribute("TANGENT"); a >= 0)
            json["attributes"]["TANGENT"] = moved(
                fmt::format("{}/t{}", of, a), gltf::read_values(model_, a, 4, rig_.path), 4, false,
                [&](size_t v, const Vec3& t) { return Vec3((M[v].block<3, 3>(0, 0) * t).normalized()); });
        for (size_t k = 0; k < primitive.targets.size(); ++k)
            for (const auto& [name, a] : primitive.targets[k]) {
                const bool is_normal = name == "NORMAL";
                json["targets"][k][name] =
                    moved(fmt::format("{}/m{}{}", of, name, a), gltf::read_values(model_, a, 3, rig_.path), 3,
                          name == "POSITION", [&](size_t v, const Vec3& d) {
                              if (!is_normal || normals.size() < 3 * (v + 1))
                                  return Vec3(M[v].block<3, 3>(0, 0) * d);
                              const Vec3 n(normals[3 * v], normals[3 * v + 1], normals[3 * v + 2]);
                              return Vec3(inverse_transpose[v] * d / (inverse_transpose[v] * n).norm());
                          });
            }
    }

    template <typename Move>
    size_t moved(const std::string& key, const std::vector<double>& rows, size_t width, bool has_bounds,
                 Move move) {
        if (const auto at = made_.find(key); at != made_.end()) return at->second;
        std::vector<float> values;
        values.reserve(rows.size());
        Eigen::Array3f low = Eigen::Array3f::Constant(1e30f);
        Eigen::Array3f high = Eigen::Array3f::Constant(-1e30f);
        for (size_t v = 0; v < rows.size() / width; ++v) {
            const Eigen::Vector3f p = move(v, Vec3(rows[width * v], rows[width * v + 1], rows[width * v + 2]))
                                          .template cast<float>();
            low = low.min(p.array());
            high = high.max(p.array());
            values.insert(values.end(), {p.x(), p.y(), p.z()});
            if (width == 4) values.push_back(float(rows[width * v + 3]));
        }
        const size_t accessor = parts_.add_floats(values, width == 4 ? "VEC4" : "VEC3", width);
        if (has_bounds) {
            parts_.json["accessors"][accessor]["min"] = {low.x(), low.y(), low.z()};
            parts_.json["accessors"][accessor]["max"] = {high.x(), high.y(), high.z()};
        }
        made_[key] = accessor;
        return accessor;
    }

    void bind_skins() {
        for (size_t s = 0; s < model_.skins.size(); ++s) {
            std::vector<float> binds;
            binds.reserve(16 * model_.skins[s].joints.size());
            for (const int node : model_.skins[s].joints) {
                Mat4 bind = after_[size_t(node)].inverse();
                bind.row(3) = Eigen::RowVector4d(0, 0, 0, 1);
                for (int c = 0; c < 16; ++c) binds.push_back(float(bind(c % 4, c / 4)));
            }
            parts_.json["skins"][s]["inverseBindMatrices"] = parts_.add_floats(binds, "MAT4", 16);
        }
    }
};

}  // namespace

namespace {

/// A rig of another format: as it is in memory, then as any .glb.
void write_as_rest_of_memory(const std::string& path, const Character& character) {
    const std::string own = std::filesystem::path(path).replace_extension(".own-rest.glb").string();
    rig_as_glb(character.rig).write(own);
    Character written = character;
    Rig& rig = written.rig;
    rig.path = own;
    rig.format = "glb";
    rig.conventions = {};
    rig.nodes = glb_frames(character.rig).nodes;
    std::error_code error;
    try {
        with_json_of(own, [&] { Rebinder(written).write(path); });
    } catch (...) {
        std::filesystem::remove(own, error);
        throw;
    }
    std::filesystem::remove(own, error);
}

}  // namespace

void write_as_rest(const std::string& path, const Character& character) {
    if (!character.rest.is_there())
        throw FileError(character.rig.path, "has no alignment yet", "give hips and legs their bones");
    if (character.rig.nodes.empty()) return write_as_rest_of_memory(path, character);
    with_json_of(character.rig.path, [&] { Rebinder(character).write(path); });
}

double rebind_change_m(const Rig& before, const Rig& after, const WorldMotion& motion, int step) {
    double largest = 0.0;
    for (int f = 0; f < motion.frames; f += std::max(1, step)) {
        const auto first = std::ptrdiff_t(motion.at(f, 0));
        const auto last = first + motion.joints;
        const Pose pose{{motion.R.begin() + first, motion.R.begin() + last},
                        {motion.p.begin() + first, motion.p.begin() + last}};
        for (size_t m = 0; m < std::min(before.meshes.size(), after.meshes.size()); ++m) {
            const auto a = skin_vertices(before.meshes[m], pose);
            const auto b = skin_vertices(after.meshes[m], pose);
            for (size_t v = 0; v < std::min(a.size(), b.size()); ++v)
                largest = std::max(largest, (a[v] - b[v]).norm());
        }
    }
    return largest;
}

}  // namespace nb
