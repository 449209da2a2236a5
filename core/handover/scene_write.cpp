#include "core/handover/scene_write.hpp"

#include <assimp/scene.h>

#include <algorithm>
#include <assimp/Exporter.hpp>
#include <cctype>
#include <filesystem>
#include <memory>
#include <set>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/handover/fbx_angles.hpp"

namespace nb {

namespace {

aiMatrix4x4 matrix_of(const Eigen::Matrix4d& m) {
    aiMatrix4x4 out;
    for (unsigned r = 0; r < 4; ++r)
        for (unsigned c = 0; c < 4; ++c) out[r][c] = ai_real(m(int(r), int(c)));
    return out;
}
aiMatrix4x4 matrix_of(const Rigid& X) {
    Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
    m.topLeftCorner<3, 3>() = X.R.toRotationMatrix();
    m.topRightCorner<3, 1>() = X.p;
    return matrix_of(m);
}

/// The library owns all that hangs on its scene: made with new, as it deletes it.
void add_nodes(const Skeleton& skeleton, aiNode& root, size_t meshes) {
    std::vector<aiNode*> nodes;
    for (int j = 0; j < skeleton.size(); ++j) {
        auto* node = new aiNode(skeleton.names[size_t(j)]);
        node->mTransformation = matrix_of(Rigid{skeleton.rest_R[size_t(j)], skeleton.rest_p[size_t(j)]});
        nodes.push_back(node);
    }
    const auto hang = [](aiNode& above, std::vector<aiNode*> below) {
        above.mNumChildren = unsigned(below.size());
        above.mChildren = below.empty() ? nullptr : new aiNode*[below.size()];
        for (size_t i = 0; i < below.size(); ++i) {
            below[i]->mParent = &above;
            above.mChildren[i] = below[i];
        }
    };
    const auto children = skeleton.children();
    std::vector<aiNode*> roots;
    for (int j = 0; j < skeleton.size(); ++j) {
        std::vector<aiNode*> below;
        for (const int child : children[size_t(j)]) below.push_back(nodes[size_t(child)]);
        hang(*nodes[size_t(j)], below);
        if (skeleton.parents[size_t(j)] < 0) roots.push_back(nodes[size_t(j)]);
    }
    if (meshes > 0) {
        auto* skin = new aiNode("skin");
        skin->mNumMeshes = unsigned(meshes);
        skin->mMeshes = new unsigned[meshes];
        for (size_t i = 0; i < meshes; ++i) skin->mMeshes[i] = unsigned(i);
        roots.push_back(skin);
    }
    hang(root, roots);
}

aiMesh* mesh_of(const Mesh& mesh, const Skeleton& skeleton, unsigned material) {
    auto* out = new aiMesh;
    out->mName = mesh.name;
    out->mMaterialIndex = material;
    out->mPrimitiveTypes = aiPrimitiveType_TRIANGLE;
    const size_t count = mesh.positions.size();
    out->mNumVertices = unsigned(count);
    out->mVertices = new aiVector3D[count];
    for (size_t v = 0; v < count; ++v)
        out->mVertices[v] = {mesh.positions[v].x(), mesh.positions[v].y(), mesh.positions[v].z()};
    if (mesh.normals.size() == count) {
        out->mNormals = new aiVector3D[count];
        for (size_t v = 0; v < count; ++v)
            out->mNormals[v] = {mesh.normals[v].x(), mesh.normals[v].y(), mesh.normals[v].z()};
    }
    out->mNumFaces = unsigned(mesh.indices.size() / 3);
    out->mFaces = new aiFace[out->mNumFaces];
    for (unsigned f = 0; f < out->mNumFaces; ++f) {
        out->mFaces[f].mNumIndices = 3;
        out->mFaces[f].mIndices = new unsigned[3];
        for (unsigned i = 0; i < 3; ++i) out->mFaces[f].mIndices[i] = mesh.indices[3 * f + i];
    }
    std::vector<std::vector<aiVertexWeight>> weights(mesh.palette.size());
    for (size_t v = 0; v < mesh.skin.size(); ++v)
        for (size_t i = 0; i < 8; ++i)
            if (const float w = mesh.skin[v].weight[i]; w > 0.0f)
                weights[mesh.skin[v].palette[i]].emplace_back(unsigned(v), w);
    out->mNumBones = unsigned(mesh.palette.size());
    out->mBones = new aiBone*[mesh.palette.size()];
    for (size_t b = 0; b < mesh.palette.size(); ++b) {
        auto* bone = out->mBones[b] = new aiBone;
        bone->mName = skeleton.names[size_t(mesh.palette[b].joint)];
        bone->mOffsetMatrix = matrix_of(mesh.palette[b].attach);
        bone->mNumWeights = unsigned(weights[b].size());
        bone->mWeights = new aiVertexWeight[weights[b].size()];
        std::copy(weights[b].begin(), weights[b].end(), bone->mWeights);
    }
    return out;
}

aiAnimation* animation_of(const Skeleton& skeleton, const Take& take) {
    auto* out = new aiAnimation;
    out->mName = take.name;
    out->mTicksPerSecond = 1.0;  // COLLADA's exporter writes ticks as seconds
    out->mDuration = (take.frames - 1) * take.frame_time_s;
    out->mNumChannels = unsigned(take.joints);
    out->mChannels = new aiNodeAnim*[size_t(take.joints)];
    for (int j = 0; j < take.joints; ++j) {
        auto* channel = out->mChannels[j] = new aiNodeAnim;
        channel->mNodeName = skeleton.names[size_t(j)];
        const auto moved = std::find(take.translated.begin(), take.translated.end(), j);
        const auto m = size_t(moved - take.translated.begin());
        channel->mNumPositionKeys = channel->mNumRotationKeys = unsigned(take.frames);
        channel->mPositionKeys = new aiVectorKey[size_t(take.frames)];
        channel->mRotationKeys = new aiQuatKey[size_t(take.frames)];
        // As many as of the others: the COLLADA exporter leaves out channels of unlike counts.
        channel->mNumScalingKeys = unsigned(take.frames);
        channel->mScalingKeys = new aiVectorKey[size_t(take.frames)];
        for (int f = 0; f < take.frames; ++f) {
            const double t = f * take.frame_time_s;
            const Quat& R = take.rotations(f)[size_t(j)];
            const Vec3& p =
                moved == take.translated.end() ? skeleton.rest_p[size_t(j)] : take.translations(f)[m];
            channel->mPositionKeys[f] = {t, aiVector3D(ai_real(p.x()), ai_real(p.y()), ai_real(p.z()))};
            channel->mScalingKeys[f] = {t, aiVector3D(1, 1, 1)};
            channel->mRotationKeys[f] = {
                t, aiQuaternion(ai_real(R.w()), ai_real(R.x()), ai_real(R.y()), ai_real(R.z()))};
        }
    }
    return out;
}

}  // namespace

std::vector<std::string> dae_names(const std::vector<std::string>& names) {
    std::vector<std::string> written = names;
    std::set<std::string> taken;
    for (std::string& name : written) {
        for (char& letter : name)
            if (!std::isalnum(static_cast<unsigned char>(letter)) && letter != '-') letter = '_';
        if (name.empty() || !std::isalpha(static_cast<unsigned char>(name.front()))) name.insert(0, 1, '_');
        while (!taken.insert(name).second) name += '_';
    }
    return written;
}

void write_scene(const std::string& path, const Rig& own, const Take& take, bool has_mesh) {
    Rig rig = own;
    if (path.ends_with(".dae")) rig.skeleton.names = dae_names(own.skeleton.names);
    aiScene scene;
    const size_t meshes = has_mesh ? rig.meshes.size() : 0;
    scene.mRootNode = new aiNode("scene");
    add_nodes(rig.skeleton, *scene.mRootNode, meshes);
    scene.mNumMaterials = unsigned(std::max<size_t>(1, meshes));
    scene.mMaterials = new aiMaterial*[scene.mNumMaterials];
    for (unsigned i = 0; i < scene.mNumMaterials; ++i) {
        auto* material = scene.mMaterials[i] = new aiMaterial;
        const Eigen::Vector4f c = i < meshes ? rig.meshes[i].base_colour : Eigen::Vector4f::Ones();
        const aiColor4D colour(c.x(), c.y(), c.z(), c.w());
        material->AddProperty(&colour, 1, AI_MATKEY_COLOR_DIFFUSE);
    }
    if (meshes > 0) {
        scene.mNumMeshes = unsigned(meshes);
        scene.mMeshes = new aiMesh*[meshes];
        for (size_t i = 0; i < meshes; ++i)
            scene.mMeshes[i] = mesh_of(rig.meshes[i], rig.skeleton, unsigned(i));
    }
    scene.mNumAnimations = 1;
    scene.mAnimations = new aiAnimation* [1] { animation_of(rig.skeleton, take) };
    scene.mMetaData = new aiMetadata;
    scene.mMetaData->Add("UnitScaleFactor", 100.0);  // centimetres a unit, as FBX says it
    const std::string ending = std::filesystem::path(path).extension().string();
    Assimp::Exporter exporter;
    // Of two ways to write FBX the readers take the text again; what is binary has blocks of wrong length.
    const aiExportDataBlob* blob = exporter.ExportToBlob(&scene, ending == ".dae" ? "collada" : "fbxa");
    if (!blob)
        throw FileError(path, std::string("was not written: ") + exporter.GetErrorString(),
                        "choose another format");
    const std::string text(static_cast<const char*>(blob->data), blob->size);
    write_file(path, ending == ".fbx" ? lead_angles_on(text) : text);
}

}  // namespace nb
