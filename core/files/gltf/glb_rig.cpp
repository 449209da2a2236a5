#include "core/files/gltf/glb_rig.hpp"

#include <algorithm>
#include <array>
#include <cstring>

namespace nb {

namespace {

constexpr int short_component = 5123, word_component = 5125;

/// Whole numbers; `width` a row.
template <typename Value>
size_t add_numbers(GlbParts& parts, const std::vector<Value>& values, int component, const char* type,
                   size_t width) {
    const size_t view =
        parts.add_view({reinterpret_cast<const char*>(values.data()), values.size() * sizeof(Value)});
    return parts.append("accessors", {{"bufferView", view},
                                      {"componentType", component},
                                      {"count", values.size() / width},
                                      {"type", type}});
}

template <int width>
size_t add_vectors(GlbParts& parts, const std::vector<Eigen::Matrix<float, width, 1>>& values,
                   const char* type) {
    return parts.add_floats({values.front().data(), width * values.size()}, type, width);
}

Json list_of(const Eigen::Ref<const Eigen::VectorXd>& values) {
    Json list = Json::array();
    for (const double value : values) list.push_back(value);
    return list;
}

void add_nodes(GlbParts& parts, const Skeleton& skeleton) {
    Json& nodes = parts.json["nodes"] = Json::array();
    Json roots = Json::array();
    const auto children = skeleton.children();
    for (int j = 0; j < skeleton.size(); ++j) {
        Json node = {{"name", skeleton.names[size_t(j)]}};
        if (!children[size_t(j)].empty()) node["children"] = children[size_t(j)];
        node["rotation"] = list_of(skeleton.rest_R[size_t(j)].coeffs());
        node["translation"] = list_of(skeleton.rest_p[size_t(j)]);
        nodes.push_back(std::move(node));
        if (skeleton.parents[size_t(j)] < 0) roots.push_back(j);
    }
    parts.json["scene"] = 0;
    parts.json["scenes"] = Json::array({{{"nodes", std::move(roots)}}});
}

size_t add_skin(GlbParts& parts, const std::string& name, const std::vector<MeshJoint>& palette) {
    std::vector<float> binds;
    Json joints = Json::array();
    for (const MeshJoint& one : palette) {
        joints.push_back(one.joint);
        const Eigen::Matrix4f attach = one.attach.cast<float>();
        binds.insert(binds.end(), attach.data(), attach.data() + 16);
        // To the bit, as validators ask.
        for (const size_t row : {3u, 7u, 11u}) binds[binds.size() - 16 + row] = 0.0f;
        binds.back() = 1.0f;
    }
    const size_t at = parts.add_floats(binds, "MAT4", 16);
    return parts.append("skins",
                        {{"name", name}, {"joints", std::move(joints)}, {"inverseBindMatrices", at}});
}

/// The weights of up to four joints a vertex, of those from `first` on.
void add_weights(GlbParts& parts, const Mesh& mesh, size_t first, Json& attributes) {
    std::vector<std::uint16_t> joints;
    std::vector<float> weights;
    for (const VertexSkin& skin : mesh.skin)
        for (size_t i = first; i < first + 4; ++i) {
            weights.push_back(skin.weight[i]);
            joints.push_back(skin.weight[i] > 0.0f ? skin.palette[i] : std::uint16_t(0));
        }
    const std::string set = std::to_string(first / 4);
    attributes["JOINTS_" + set] = add_numbers(parts, joints, short_component, "VEC4", 4);
    attributes["WEIGHTS_" + set] = parts.add_floats(weights, "VEC4", 4);
}

size_t material_of(GlbParts& parts, const Mesh& mesh) {
    Json surface = {{"baseColorFactor", list_of(mesh.base_colour.cast<double>())}, {"metallicFactor", 0.0}};
    if (mesh.image >= 0) surface["baseColorTexture"] = {{"index", mesh.image}};
    Json material = {{"pbrMetallicRoughness", std::move(surface)}};
    if (parts.json.contains("materials"))
        for (size_t i = 0; i < parts.json["materials"].size(); ++i)
            if (parts.json["materials"][i] == material) return i;
    return parts.append("materials", std::move(material));
}

/// Joints as a skin has them that is bound at rest.
std::vector<MeshJoint> bound_at_rest(const Skeleton& skeleton, const std::vector<int>& joints) {
    const Pose rest = rest_pose(skeleton);
    std::vector<MeshJoint> palette;
    for (const int j : joints) {
        const Rigid X_JW = inverse({rest.R[size_t(j)], rest.p[size_t(j)]});
        MeshJoint one{j, Eigen::Matrix4d::Identity()};
        one.attach.topLeftCorner<3, 3>() = X_JW.R.toRotationMatrix();
        one.attach.topRightCorner<3, 1>() = X_JW.p;
        palette.push_back(one);
    }
    return palette;
}

/// `more`: joints of no mesh, which go into its skin, too, so that they are read as bones.
void add_mesh(GlbParts& parts, const Mesh& mesh, const std::vector<MeshJoint>& more) {
    Json attributes;
    const size_t count = mesh.positions.size();
    const size_t positions = add_vectors(parts, mesh.positions, "VEC3");
    Eigen::Vector3f low = mesh.positions.front(), high = low;
    for (const Eigen::Vector3f& p : mesh.positions) {
        low = low.cwiseMin(p);
        high = high.cwiseMax(p);
    }
    parts.json["accessors"][positions]["min"] = list_of(low.cast<double>());
    parts.json["accessors"][positions]["max"] = list_of(high.cast<double>());
    attributes["POSITION"] = positions;
    if (mesh.normals.size() == count) attributes["NORMAL"] = add_vectors(parts, mesh.normals, "VEC3");
    if (mesh.colours.size() == count) attributes["COLOR_0"] = add_vectors(parts, mesh.colours, "VEC4");
    if (mesh.uvs.size() == count) attributes["TEXCOORD_0"] = add_vectors(parts, mesh.uvs, "VEC2");
    add_weights(parts, mesh, 0, attributes);
    if (std::any_of(mesh.skin.begin(), mesh.skin.end(),
                    [](const VertexSkin& skin) { return skin.weight[4] > 0.0f; }))
        add_weights(parts, mesh, 4, attributes);
    const size_t indices = add_numbers(parts, mesh.indices, word_component, "SCALAR", 1);
    std::vector<MeshJoint> palette = mesh.palette;
    palette.insert(palette.end(), more.begin(), more.end());
    const size_t material = material_of(parts, mesh), skin = add_skin(parts, mesh.name, palette);
    const size_t number = parts.append(
        "meshes",
        {{"name", mesh.name},
         {"primitives",
          Json::array({{{"attributes", attributes}, {"indices", indices}, {"material", material}}})}});
    const size_t node = parts.append("nodes", {{"name", mesh.name}, {"mesh", number}, {"skin", skin}});
    parts.json["scenes"][0]["nodes"].push_back(node);
}

}  // namespace

GlbParts rig_as_glb(const Rig& rig) {
    GlbParts parts(rig.path);
    add_nodes(parts, rig.skeleton);
    for (const std::string& picture : rig.images) {
        const bool is_png = picture.starts_with("\x89PNG");
        const size_t view = parts.add_view(picture);
        const size_t image =
            parts.append("images", {{"mimeType", is_png ? "image/png" : "image/jpeg"}, {"bufferView", view}});
        parts.append("textures", {{"source", image}});
    }
    std::vector<int> free;
    for (int j = 0; j < rig.skeleton.size(); ++j)
        if (std::none_of(rig.meshes.begin(), rig.meshes.end(), [j](const Mesh& mesh) {
                return std::any_of(mesh.palette.begin(), mesh.palette.end(),
                                   [j](const MeshJoint& one) { return one.joint == j; });
            }))
            free.push_back(j);
    std::vector<MeshJoint> more = bound_at_rest(rig.skeleton, free);
    for (const Mesh& mesh : rig.meshes) {
        if (mesh.positions.empty() || mesh.indices.empty()) continue;
        add_mesh(parts, mesh, more);
        more.clear();
    }
    if (parts.json.contains("skins") || rig.skeleton.size() == 0) return parts;
    std::vector<int> all(rig.skeleton.names.size());
    for (size_t j = 0; j < all.size(); ++j) all[j] = int(j);
    add_skin(parts, "skeleton", bound_at_rest(rig.skeleton, all));
    return parts;
}

}  // namespace nb
