#include "core/io/export.hpp"

#include <algorithm>
#include <filesystem>

#include "core/io/bvh.hpp"
#include "core/io/file_error.hpp"
#include "core/io/gltf.hpp"
#include "core/io/gltf_patch.hpp"

namespace nb {

SkeletonFile reframe_for_bvh(const Character& character, const Take& take) {
    const Rig& rig = character.rig;
    const Skeleton& skeleton = rig.skeleton;
    const Pose rest = rest_pose(skeleton);
    const Quat R_FW = rig.conventions.R_WF.conjugate();
    const Quat& R_WF = rig.conventions.R_WF;
    const double units = 1.0 / rig.conventions.unit_m;
    const size_t n = skeleton.names.size();

    SkeletonFile file;
    file.skeleton = skeleton;
    file.channels = rig.channels;
    file.channels.resize(n);
    for (size_t j = 0; j < n; ++j) {
        const int parent = skeleton.parents[j];
        const Vec3 offset = parent < 0 ? rest.p[j] : Vec3(rest.p[j] - rest.p[size_t(parent)]);
        file.skeleton.rest_p[j] = units * (R_FW * offset);
        file.skeleton.rest_R[j] = Quat::Identity();
    }
    for (EndSite& site : file.skeleton.end_sites)
        site.offset_m = units * (R_FW * (rest.R[size_t(site.joint)] * site.offset_m));

    Take& out = file.take;
    out.name = take.name;
    out.frame_time_text = take.frame_time_text;
    out.frame_time_s = take.frame_time_s;
    out.frames = take.frames;
    out.joints = take.joints;
    for (size_t j = 0; j < n; ++j)
        if (skeleton.parents[j] < 0 ||
            std::find(take.translated.begin(), take.translated.end(), int(j)) != take.translated.end())
            out.translated.push_back(int(j));
    out.R.resize(size_t(take.frames) * n);
    out.p.resize(size_t(take.frames) * out.translated.size());
    for_each_frame(take.frames, 0, [&](int first, int last) {
        std::vector<Quat> R(n);
        std::vector<Vec3> p(n);
        std::vector<Quat> B(n);
        for (int f = first; f < last; ++f) {
            forward_kinematics(skeleton, take, f, R, p);
            size_t moved = 0;
            for (size_t j = 0; j < n; ++j) {
                const int parent = skeleton.parents[j];
                B[j] = R_FW * (R[j] * rest.R[j].conjugate()) * R_WF;
                out.R[size_t(f) * n + j] =
                    parent < 0 ? B[j] : (B[size_t(parent)].conjugate() * B[j]).normalized();
                if (moved < out.translated.size() && size_t(out.translated[moved]) == j) {
                    const Vec3 in_file = R_FW * (parent < 0 ? p[j] : Vec3(p[j] - p[size_t(parent)]));
                    out.p[size_t(f) * out.translated.size() + moved++] =
                        units * (parent < 0 ? in_file : Vec3(B[size_t(parent)].conjugate() * in_file));
                }
            }
        }
    });
    return file;
}

void export_take(const std::string& path, const Character& character, const Take& take) {
    const std::string ending = std::filesystem::path(path).extension().string();
    if (ending == ".bvh") return write_file(path, format_bvh(reframe_for_bvh(character, take)));
    if (ending == ".glb" && !character.rig.nodes.empty()) return patch_glb(path, character, take);
    if (ending == ".glb") return write_glb(path, character.rig.skeleton, take);
    throw FileError(path, "is neither .bvh nor .glb", "choose one of these endings");
}

}  // namespace nb
