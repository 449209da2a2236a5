#include "core/files/scene/scene.hpp"

#include <assimp/config.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>

#include <assimp/DefaultIOSystem.h>
#include <algorithm>
#include <assimp/Importer.hpp>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <map>
#include <set>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/files/joint_frames.hpp"

namespace nb {

namespace {

Eigen::Matrix4d matrix(const aiMatrix4x4& m) {
    Eigen::Matrix4d result;
    result << double(m.a1), double(m.a2), double(m.a3), double(m.a4), double(m.b1), double(m.b2),
        double(m.b3), double(m.b4), double(m.c1), double(m.c2), double(m.c3), double(m.c4), double(m.d1),
        double(m.d2), double(m.d3), double(m.d4);
    return result;
}
Vec3 vector(const aiVector3D& v) {
    return {double(v.x), double(v.y), double(v.z)};
}
Quat rotation(const aiQuaternion& q) {
    const Quat R{double(q.w), double(q.x), double(q.y), double(q.z)};
    return R.norm() > 1e-9 ? R.normalized() : Quat::Identity();
}

/// Reads the file and what lies beside or below it; nothing else, and nothing is written.
class FilesBeside : public Assimp::DefaultIOSystem {
  public:
    explicit FilesBeside(const std::string& path) {
        std::error_code error;
        folder_ = std::filesystem::weakly_canonical(std::filesystem::absolute(path), error).parent_path();
    }
    Assimp::IOStream* Open(const char* file, const char* mode) override {
        std::error_code error;
        const auto whole = std::filesystem::weakly_canonical(std::filesystem::absolute(file), error);
        const auto inside = whole.lexically_relative(folder_);
        if (std::strpbrk(mode, "wa+") || inside.empty() || *inside.begin() == ".." ||
            !std::filesystem::is_regular_file(whole, error))
            return nullptr;
        return DefaultIOSystem::Open(file, mode);
    }

  private:
    std::filesystem::path folder_;
};

class SceneReader {
  public:
    SceneReader(const aiScene& scene, const std::string& path, int animation)
        : scene_(scene), path_(path), animation_(animation) {}

    SkeletonFile read() {
        list(scene_.mRootNode, -1);
        choose();
        for (size_t n = 0; n < nodes_.size(); ++n)
            if (is_wanted_[n]) {
                const NodeTransform t = transform_of(matrix(nodes_[n]->mTransformation));
                if (!std::isfinite(t.R.coeffs().sum()) || !t.p.allFinite())
                    throw FileError(path_,
                                    fmt::format("the node '{}' has numbers that are not finite",
                                                nodes_[n]->mName.C_Str()),
                                    "export the file again");
                joint_of_[n] = frames_.add(file_, parent_[n] < 0 ? -1 : joint_of_[size_t(parent_[n])], int(n),
                                           nodes_[n]->mName.C_Str(), t);
            }
        file_.channels.resize(file_.skeleton.names.size());
        file_.take.joints = file_.skeleton.size();
        for (size_t n = 0; n < nodes_.size(); ++n) add_meshes(n);
        for (unsigned a = 0; a < scene_.mNumAnimations; ++a) {
            const std::string name = scene_.mAnimations[a]->mName.C_Str();
            file_.animations.push_back(name.empty() ? fmt::format("animation {}", a + 1) : name);
        }
        if (scene_.mNumAnimations > 0) {
            check_animation(path_, file_.animations, animation_);
            animate(*scene_.mAnimations[animation_]);
        }
        file_.nodes.clear();  // nothing is written back to these formats
        read_unit();
        return std::move(file_);
    }

  private:
    const aiScene& scene_;
    const std::string& path_;
    int animation_;
    SkeletonFile file_;
    JointFrames frames_;
    std::vector<const aiNode*> nodes_;
    std::vector<int> parent_;
    std::vector<char> is_wanted_;
    std::vector<int> joint_of_;
    std::map<std::string, int> by_name_;

    void list(const aiNode* node, int parent) {
        const int here = int(nodes_.size());
        nodes_.push_back(node);
        parent_.push_back(parent);
        by_name_.try_emplace(node->mName.C_Str(), here);
        for (unsigned c = 0; c < node->mNumChildren; ++c) list(node->mChildren[c], here);
    }

    void choose() {
        is_wanted_.assign(nodes_.size(), 0);
        joint_of_.assign(nodes_.size(), -1);
        std::set<std::string> apart;  // cameras and lights move, and are no bones
        for (unsigned k = 0; k < scene_.mNumCameras; ++k) apart.insert(scene_.mCameras[k]->mName.C_Str());
        for (unsigned k = 0; k < scene_.mNumLights; ++k) apart.insert(scene_.mLights[k]->mName.C_Str());
        const auto want = [&](const char* name) {
            const auto at = by_name_.find(name);
            if (at == by_name_.end() || apart.count(name)) return;
            for (int n = at->second; n >= 0; n = parent_[size_t(n)]) is_wanted_[size_t(n)] = 1;
        };
        for (unsigned m = 0; m < scene_.mNumMeshes; ++m)
            for (unsigned b = 0; b < scene_.mMeshes[m]->mNumBones; ++b)
                want(scene_.mMeshes[m]->mBones[b]->mName.C_Str());
        for (unsigned a = 0; a < scene_.mNumAnimations; ++a)
            for (unsigned c = 0; c < scene_.mAnimations[a]->mNumChannels; ++c)
                want(scene_.mAnimations[a]->mChannels[c]->mNodeName.C_Str());
        if (std::count(is_wanted_.begin(), is_wanted_.end(), 1) < 2)
            throw FileError(path_, "this reader finds no skeleton in it",
                            "export it with bones and skin, or as .bvh or .glb");
        // What hangs below a joint without a mesh says where bones end.
        for (size_t n = 0; n < nodes_.size(); ++n)
            if (parent_[n] > 0 && is_wanted_[size_t(parent_[n])] && nodes_[n]->mNumMeshes == 0 &&
                !apart.count(nodes_[n]->mName.C_Str()))
                is_wanted_[n] = 1;
    }

    Eigen::Matrix4d global(int node) const {
        Eigen::Matrix4d m = Eigen::Matrix4d::Identity();
        for (int n = node; n >= 0; n = parent_[size_t(n)]) m = matrix(nodes_[size_t(n)]->mTransformation) * m;
        return m;
    }

    void add_meshes(size_t node) {
        for (unsigned k = 0; k < nodes_[node]->mNumMeshes; ++k) {
            const aiMesh& from = *scene_.mMeshes[nodes_[node]->mMeshes[k]];
            Mesh mesh;
            mesh.name = from.mName.C_Str();
            mesh.skin.assign(from.mNumVertices, VertexSkin{});
            if (from.mNumBones > 0)
                read_bones(from, mesh);
            else if (!hang(int(node), mesh))
                continue;
            for (unsigned v = 0; v < from.mNumVertices; ++v) {
                mesh.positions.push_back(vector(from.mVertices[v]).cast<float>());
                if (!mesh.positions.back().allFinite())
                    throw FileError(path_,
                                    fmt::format("the mesh '{}' has numbers that are not finite", mesh.name),
                                    "export the file again");
                const Eigen::Vector3f n = from.HasNormals()
                                              ? Eigen::Vector3f(vector(from.mNormals[v]).cast<float>())
                                              : Eigen::Vector3f(Eigen::Vector3f::UnitY());
                mesh.normals.push_back(n.norm() > 1e-9f && n.allFinite()
                                           ? Eigen::Vector3f(n.normalized())
                                           : Eigen::Vector3f(Eigen::Vector3f::UnitY()));
            }
            for (unsigned f = 0; f < from.mNumFaces; ++f)
                if (from.mFaces[f].mNumIndices == 3)
                    for (unsigned c = 0; c < 3; ++c) mesh.indices.push_back(from.mFaces[f].mIndices[c]);
            aiColor4D colour(0.75f, 0.73f, 0.70f, 1.0f);
            if (from.mMaterialIndex < scene_.mNumMaterials)
                aiGetMaterialColor(scene_.mMaterials[from.mMaterialIndex], AI_MATKEY_COLOR_DIFFUSE, &colour);
            // Materials of these formats are as shown; inside colours are linear.
            for (int c = 0; c < 3; ++c)
                mesh.base_colour[c] = std::pow(std::clamp(colour[unsigned(c)], 0.0f, 1.0f), 2.2f);
            if (!mesh.indices.empty()) file_.meshes.push_back(std::move(mesh));
        }
    }

    void read_bones(const aiMesh& from, Mesh& mesh) {
        for (unsigned b = 0; b < from.mNumBones; ++b) {
            const aiBone& bone = *from.mBones[b];
            const auto at = by_name_.find(bone.mName.C_Str());
            if (at == by_name_.end() || joint_of_[size_t(at->second)] < 0) continue;
            MeshJoint bound;
            bound.joint = joint_of_[size_t(at->second)];
            bound.attach = matrix(bone.mOffsetMatrix);
            bound.attach.topRows<3>() =
                frames_.own_scale(bound.joint) * Eigen::Matrix<double, 3, 4>(bound.attach.topRows<3>());
            const auto palette = std::uint16_t(mesh.palette.size());
            mesh.palette.push_back(bound);
            for (unsigned w = 0; w < bone.mNumWeights; ++w) {
                const auto& weight = bone.mWeights[w];
                if (weight.mVertexId >= from.mNumVertices || !(weight.mWeight > 0)) continue;
                // The eight strongest stay.
                VertexSkin& skin = mesh.skin[weight.mVertexId];
                const size_t weakest =
                    size_t(std::min_element(skin.weight.begin(), skin.weight.end()) - skin.weight.begin());
                if (weight.mWeight <= skin.weight[weakest]) continue;
                skin.weight[weakest] = weight.mWeight;
                skin.palette[weakest] = palette;
            }
        }
        if (mesh.palette.empty()) mesh.palette.push_back({0, Eigen::Matrix4d::Identity()});
        for (VertexSkin& skin : mesh.skin) normalise_weights(skin, file_.facts);
    }

    /// A mesh without bones is carried by the joint it hangs on.
    bool hang(int node, Mesh& mesh) {
        int up = node;
        while (up >= 0 && joint_of_[size_t(up)] < 0) up = parent_[size_t(up)];
        if (up < 0) return false;
        MeshJoint bound;
        bound.joint = joint_of_[size_t(up)];
        bound.attach = global(up).inverse() * global(node);
        bound.attach.topRows<3>() =
            frames_.own_scale(bound.joint) * Eigen::Matrix<double, 3, 4>(bound.attach.topRows<3>());
        mesh.palette.push_back(bound);
        for (VertexSkin& skin : mesh.skin) skin.weight[0] = 1.0f;
        return true;
    }

    template <typename Key, typename Between>
    static auto sample(const Key* keys, unsigned count, double tick, Between&& between) {
        const auto* end = keys + count;
        const auto* after =
            std::upper_bound(keys, end, tick + 1e-6, [](double t, const Key& key) { return t < key.mTime; });
        if (after == keys) return between(keys[0], keys[0], 0.0);
        if (after == end) return between(end[-1], end[-1], 0.0);
        const double step = after->mTime - after[-1].mTime;
        double u = step > 0 ? (tick - after[-1].mTime) / step : 0.0;
        if (u < 0.02 || u > 0.98) u = std::round(u);
        return between(after[-1], *after, std::clamp(u, 0.0, 1.0));
    }

    void animate(const aiAnimation& animation) {
        const double ticks = animation.mTicksPerSecond > 0 ? animation.mTicksPerSecond : 25.0;
        double first = 1e30;
        double last = -1e30;
        double step = 1e30;
        struct Moved {
            int joint;
            const aiNodeAnim* channel;
        };
        std::vector<Moved> moved;
        const auto measure = [&](const auto* keys, unsigned count) {
            for (unsigned k = 0; k < count; ++k) {
                first = std::min(first, keys[k].mTime);
                last = std::max(last, keys[k].mTime);
                // Nearer than a thousandth of a second: the same key, rounded.
                if (k > 0 && keys[k].mTime - keys[k - 1].mTime > 9e-4 * ticks)
                    step = std::min(step, keys[k].mTime - keys[k - 1].mTime);
            }
        };
        for (unsigned c = 0; c < animation.mNumChannels; ++c) {
            const aiNodeAnim& channel = *animation.mChannels[c];
            const auto at = by_name_.find(channel.mNodeName.C_Str());
            if (at == by_name_.end() || joint_of_[size_t(at->second)] < 0) continue;
            moved.push_back({joint_of_[size_t(at->second)], &channel});
            measure(channel.mRotationKeys, channel.mNumRotationKeys);
            measure(channel.mPositionKeys, channel.mNumPositionKeys);
        }
        if (moved.empty() || !(last > first)) return;
        std::sort(moved.begin(), moved.end(),
                  [](const Moved& a, const Moved& b) { return a.joint < b.joint; });
        // Of several channels of one joint the first speaks.
        moved.erase(std::unique(moved.begin(), moved.end(),
                                [](const Moved& a, const Moved& b) { return a.joint == b.joint; }),
                    moved.end());
        Take& take = file_.take;
        double fps = std::clamp(ticks / step, 1.0, 1000.0);
        if (std::abs(fps - std::round(fps)) < 0.02) fps = std::round(fps);
        const double frames = std::round((last - first) / ticks * fps) + 1;
        if (!(frames * double(take.joints) < 2e8))
            throw FileError(path_, "the animation is too long for its key distance", "resample it");
        take.frame_time_s = 1.0 / fps;
        take.frame_time_text = fmt::format("{:.7f}", take.frame_time_s);
        take.frames = int(frames);
        const size_t n = file_.skeleton.names.size();
        std::vector<Quat>& rotations = take.R.edit();
        rotations.resize(size_t(take.frames) * n);
        for (const Moved& m : moved)
            if (m.channel->mNumPositionKeys > 0 && leaves_rest(m.joint, *m.channel))
                take.translated.push_back(m.joint);
        std::vector<Vec3>& places = take.p.edit();
        places.resize(size_t(take.frames) * take.translated.size());
        for (int f = 0; f < take.frames; ++f) {
            const double tick = first + f * take.frame_time_s * ticks;
            Quat* R = &rotations[size_t(f) * n];
            std::copy(file_.skeleton.rest_R.begin(), file_.skeleton.rest_R.end(), R);
            size_t slot = 0;
            for (const Moved& m : moved) {
                const FileNode& at = file_.nodes[size_t(m.joint)];
                if (m.channel->mNumRotationKeys > 0)
                    R[m.joint] = JointFrames::rotation(
                        at, sample(m.channel->mRotationKeys, m.channel->mNumRotationKeys, tick,
                                   [](const aiQuatKey& a, const aiQuatKey& b, double u) {
                                       return interpolate(rotation(a.mValue), rotation(b.mValue), u);
                                   }));
                if (slot < take.translated.size() && take.translated[slot] == m.joint)
                    places[size_t(f) * take.translated.size() + slot++] = JointFrames::place(
                        at, sample(m.channel->mPositionKeys, m.channel->mNumPositionKeys, tick,
                                   [](const aiVectorKey& a, const aiVectorKey& b, double u) {
                                       return Vec3((1 - u) * vector(a.mValue) + u * vector(b.mValue));
                                   }));
                if (!R[m.joint].coeffs().allFinite())
                    throw FileError(path_, "a key is not a finite number", "export the file again");
            }
        }
        for (const Vec3& p : take.p)
            if (!p.allFinite())
                throw FileError(path_, "a key is not a finite number", "export the file again");
    }

    /// Position keys that only repeat the rest are no motion.
    bool leaves_rest(int joint, const aiNodeAnim& channel) const {
        const Vec3& rest = file_.skeleton.rest_p[size_t(joint)];
        for (unsigned k = 0; k < channel.mNumPositionKeys; ++k)
            if ((JointFrames::place(file_.nodes[size_t(joint)], vector(channel.mPositionKeys[k].mValue)) -
                 rest)
                    .norm() > 1e-4 * (rest.norm() + 1e-3))
                return true;
        return false;
    }

    void read_unit() {
        if (!scene_.mMetaData) return;
        double factor = 0.0;
        float single = 0.0f;
        if (!scene_.mMetaData->Get("UnitScaleFactor", factor) &&
            scene_.mMetaData->Get("UnitScaleFactor", single))
            factor = double(single);
        if (!(factor > 1e-6 && factor < 1e6)) return;
        file_.unit_m = 0.01 * factor;
        file_.unit_reason = fmt::format("the file says one unit is {:.6g} cm", factor);
    }
};

}  // namespace

bool is_scene_ending(const std::string& ending) {
    for (const auto* known : {".fbx", ".dae", ".zae", ".md5mesh", ".md5anim", ".x", ".smd", ".ms3d", ".b3d",
                              ".iqm", ".ogex", ".mesh", ".blend", ".lws", ".irr"})
        if (ending == known) return true;
    return false;
}

SkeletonFile read_scene(const std::string& path, int animation) {
    read_file(path);  // says plainly when there is nothing to read
    Assimp::Importer importer;
    importer.SetIOHandler(new FilesBeside(path));  // the importer's own
    importer.SetPropertyBool(AI_CONFIG_IMPORT_FBX_PRESERVE_PIVOTS, false);
    importer.SetPropertyInteger(AI_CONFIG_PP_SBP_REMOVE, aiPrimitiveType_POINT | aiPrimitiveType_LINE);
    const aiScene* scene = nullptr;
    std::string what;
    try {
        scene = importer.ReadFile(path, aiProcess_Triangulate | aiProcess_SortByPType |
                                            aiProcess_GenSmoothNormals | aiProcess_JoinIdenticalVertices);
        what = importer.GetErrorString();
    } catch (const std::bad_alloc&) {
        throw;
    } catch (const std::exception& error) {
        what = error.what();
    }
    if (what.find("bad_alloc") != std::string::npos) throw std::bad_alloc();
    // The library's own words help nobody: they name its parts, not the file's.
    if (!scene || !scene->mRootNode)
        throw FileError(path,
                        what.find("o suitable reader") != std::string::npos
                            ? "is of a kind that is not read"
                            : "is broken, or of a version that is not read",
                        "export the file again, or as .bvh or .glb");
    return SceneReader(*scene, path, animation).read();
}

}  // namespace nb
