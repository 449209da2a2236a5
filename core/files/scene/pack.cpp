// Skeleton files as bytes, for the way between two processes of one program: no format to be kept.
#include <cstring>

#include "core/base/fault.hpp"
#include "core/files/scene/child.hpp"

namespace nb {

namespace {

constexpr const char* mark = "nimble-bone skeleton 1\n";

class Writer {
  public:
    std::string bytes = mark;

    template <typename T>
    void plain(T& value) {
        bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
    }
    template <typename T>
    void plain_list(std::vector<T>& values) {
        count(values.size());
        if (!values.empty())
            bytes.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(T));
    }
    void text(std::string& value) {
        count(value.size());
        bytes += value;
    }
    template <typename T, typename Each>
    void list(std::vector<T>& values, Each each) {
        count(values.size());
        for (T& value : values) each(value);
    }

  private:
    void count(std::uint64_t n) { plain(n); }
};

class PackReader {
  public:
    PackReader(const std::string& bytes, const std::string& path) : bytes_(bytes), path_(path) {
        if (!bytes.starts_with(mark)) fail();
        at_ = std::strlen(mark);
    }
    bool is_at_end() const { return at_ == bytes_.size(); }

    template <typename T>
    void plain(T& value) {
        std::memcpy(static_cast<void*>(&value), take(sizeof value), sizeof value);
    }
    template <typename T>
    void plain_list(std::vector<T>& values) {
        const size_t n = count(sizeof(T));
        values.resize(n);
        if (n > 0) std::memcpy(static_cast<void*>(values.data()), take(n * sizeof(T)), n * sizeof(T));
    }
    void text(std::string& value) {
        const size_t n = count(1);
        value.assign(take(n), n);
    }
    template <typename T, typename Each>
    void list(std::vector<T>& values, Each each) {
        values.resize(count(1));
        for (T& value : values) each(value);
    }
    [[noreturn]] void fail() const {
        throw FileError(path_, "what its reader gave is not whole",
                        "export the file again, or as .bvh or .glb");
    }

  private:
    const std::string& bytes_;
    const std::string& path_;
    size_t at_ = 0;

    const char* take(size_t n) {
        if (n > bytes_.size() - at_) fail();
        const char* from = bytes_.data() + at_;
        at_ += n;
        return from;
    }
    /// A number of things of at least `size` bytes each; never more than there are bytes for.
    size_t count(size_t size) {
        std::uint64_t n = 0;
        plain(n);
        if (n > (bytes_.size() - at_) / size) fail();
        return size_t(n);
    }
};

template <typename Archive>
void each_field(Archive& a, SkeletonFile& file) {
    const auto text = [&](std::string& value) { a.text(value); };
    Skeleton& skeleton = file.skeleton;
    a.list(skeleton.names, text);
    a.plain_list(skeleton.parents);
    a.plain_list(skeleton.rest_R);
    a.plain_list(skeleton.rest_p);
    a.plain_list(skeleton.bind_R);
    a.plain_list(skeleton.end_sites);
    a.list(file.channels, [&](std::vector<Channel>& channels) { a.plain_list(channels); });
    a.list(file.animations, text);
    Take& take = file.take;
    a.text(take.name);
    a.text(take.frame_time_text);
    a.plain(take.frame_time_s);
    a.plain(take.frames);
    a.plain(take.joints);
    a.plain_list(take.R.edit());
    a.plain_list(take.translated);
    a.plain_list(take.p.edit());
    a.list(file.meshes, [&](Mesh& mesh) {
        a.text(mesh.name);
        a.plain_list(mesh.positions);
        a.plain_list(mesh.normals);
        a.plain_list(mesh.colours);
        a.plain_list(mesh.uvs);
        a.plain_list(mesh.skin);
        a.plain_list(mesh.indices);
        a.plain_list(mesh.palette);
        a.plain(mesh.base_colour);
        a.plain(mesh.image);
        a.plain(mesh.morph_target_count);
    });
    a.list(file.images, text);
    a.plain(file.unit_m);
    a.text(file.unit_reason);
    FileFacts& facts = file.facts;
    for (auto* names :
         {&facts.constant_scale_keys, &facts.animated_scale, &facts.uneven_scale, &facts.renamed})
        a.list(*names, text);
    for (int* number :
         {&facts.vertices, &facts.vertices_over_four, &facts.vertices_off_sum, &facts.vertices_without,
          &facts.keys, &facts.keys_off_frames, &facts.announced_frames})
        a.plain(*number);
    a.plain(facts.worst_weight_sum);
    a.plain(facts.key_rate_fps);
    a.text(facts.encoding);
    a.list(file.notes, text);
}

bool fits(const SkeletonFile& file) {
    const size_t n = file.skeleton.names.size();
    const Skeleton& s = file.skeleton;
    if (s.parents.size() != n || s.rest_R.size() != n || s.rest_p.size() != n || file.channels.size() != n ||
        (!s.bind_R.empty() && s.bind_R.size() != n))
        return false;
    for (size_t j = 0; j < n; ++j)
        if (s.parents[j] >= int(j) || s.parents[j] < -1) return false;
    for (const EndSite& site : s.end_sites)
        if (site.joint < 0 || size_t(site.joint) >= n) return false;
    const Take& take = file.take;
    if (take.frames < 0 || take.joints != int(n) || take.R.size() != size_t(take.frames) * n ||
        take.p.size() != size_t(take.frames) * take.translated.size())
        return false;
    for (const int joint : take.translated)
        if (joint < 0 || size_t(joint) >= n) return false;
    for (const Mesh& mesh : file.meshes) {
        const size_t vertices = mesh.positions.size();
        if (mesh.normals.size() != vertices || mesh.skin.size() != vertices || mesh.palette.empty() ||
            (!mesh.colours.empty() && mesh.colours.size() != vertices) ||
            (!mesh.uvs.empty() && mesh.uvs.size() != vertices) || mesh.image >= int(file.images.size()))
            return false;
        for (const std::uint32_t index : mesh.indices)
            if (index >= vertices) return false;
        for (const VertexSkin& skin : mesh.skin)
            for (const std::uint16_t slot : skin.palette)
                if (slot >= mesh.palette.size()) return false;
        for (const MeshJoint& bound : mesh.palette)
            if (bound.joint < 0 || size_t(bound.joint) >= n) return false;
    }
    return true;
}

}  // namespace

std::string pack(SkeletonFile& file) {
    Writer writer;
    each_field(writer, file);
    return std::move(writer.bytes);
}

SkeletonFile unpack(const std::string& bytes, const std::string& path) {
    PackReader reader(bytes, path);
    SkeletonFile file;
    each_field(reader, file);
    if (!reader.is_at_end() || !fits(file)) reader.fail();
    return file;
}

}  // namespace nb
