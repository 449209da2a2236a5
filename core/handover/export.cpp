#include "core/handover/export.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/parallel.hpp"
#include "core/base/text_encoding.hpp"
#include "core/files/bvh.hpp"
#include "core/handover/glb_animation.hpp"
#include "core/handover/gltf_patch.hpp"
#include "core/motion/finite.hpp"
#include "core/motion/kinematics.hpp"

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
    std::vector<Quat>& out_R = out.R.edit();
    std::vector<Vec3>& out_p = out.p.edit();
    out_R.resize(size_t(take.frames) * n);
    out_p.resize(size_t(take.frames) * out.translated.size());
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
                out_R[size_t(f) * n + j] =
                    parent < 0 ? B[j] : (B[size_t(parent)].conjugate() * B[j]).normalized();
                if (moved < out.translated.size() && size_t(out.translated[moved]) == j) {
                    const Vec3 in_file = R_FW * (parent < 0 ? p[j] : Vec3(p[j] - p[size_t(parent)]));
                    out_p[size_t(f) * out.translated.size() + moved++] =
                        units * (parent < 0 ? in_file : Vec3(B[size_t(parent)].conjugate() * in_file));
                }
            }
        }
    });
    return file;
}

namespace {

/// The names as a BVH file can hold them; what was changed is returned in a sentence.
std::string names_for_bvh(const Character& character, std::vector<std::string>& names) {
    // As the file had them, byte for byte, where that can be read back.
    const std::string& encoding = character.rig.facts.encoding;
    std::vector<std::string> own;
    own.reserve(names.size());
    for (const std::string& name : names) own.push_back(from_utf8(name, encoding));
    std::vector<std::string> written = bvh_names(own);
    if (!encoding.empty() && written != own) written = bvh_names(names);
    size_t changed = 0;
    std::string example;
    for (size_t j = 0; j < names.size(); ++j)
        if (written[j] != own[j] && written[j] != names[j] && ++changed == 1)
            example = fmt::format("'{}' is '{}'", shown_text(names[j]), shown_text(written[j]));
    names = std::move(written);
    return changed == 0 ? ""
                        : fmt::format("{} bone name{} cannot stand in a BVH file and {} changed: {}", changed,
                                      changed == 1 ? "" : "s", changed == 1 ? "was" : "were", example);
}

constexpr int frames_a_part = 2048;

void write_bvh(const std::string& path, const Character& character, const MotionView& motion,
               std::vector<std::string>* notes) {
    const int frames = motion.about().frames;
    const auto each_part = [&](const auto& use) {
        for (int first = 0; first < frames; first += frames_a_part) {
            const Take part = motion.part(first, std::min(frames, first + frames_a_part));
            require_finite(path, character.rig.skeleton, part);
            if (!use(reframe_for_bvh(character, part).take)) return;
        }
    };
    SkeletonFile file = reframe_for_bvh(character, motion.part(0, 0));
    file.take.frames = frames;
    const std::string note = names_for_bvh(character, file.skeleton.names);
    if (notes && !note.empty()) notes->push_back(note);
    // Joints without channels of their own get some when they turn in any frame.
    std::vector<char> is_turned(file.skeleton.names.size(), 0);
    for (size_t j = 0; j < is_turned.size(); ++j) is_turned[j] = file.channels[j].size() >= 3;
    const auto all_turn = [&] {
        return std::all_of(is_turned.begin(), is_turned.end(), [](char t) { return t; });
    };
    if (!all_turn())
        each_part([&](const Take& part) {
            mark_turned(part, is_turned);
            return !all_turn();
        });
    BvhWriter writer(file, is_turned);
    write_file_in_parts(path, [&](const auto& put) {
        put(writer.header());
        std::string text;
        each_part([&](const Take& part) {
            text.clear();
            writer.append_frames(text, part);
            put(text);
            return true;
        });
    });
}

}  // namespace

std::string usual_ending(const Character& character) {
    return character.rig.format == "bvh" ? ".bvh" : ".glb";
}

std::vector<std::string> left_behind(const std::string& path, const Character& character) {
    std::vector<std::string> lost;
    const Rig& rig = character.rig;
    const bool is_bvh = std::filesystem::path(path).extension() == ".bvh";
    if (!rig.meshes.empty() && is_bvh)
        lost.emplace_back("a BVH file holds bones and motion: mesh and materials stay behind");
    if (is_bvh) {
        std::vector<std::string> names = rig.skeleton.names;
        if (const std::string note = names_for_bvh(character, names); !note.empty()) lost.push_back(note);
    }
    return lost;
}

void write_keyed_glb(const std::string& path, const Character& character, const MotionView& motion,
                     const MotionKeys& keys) {
    if (!character.rig.nodes.empty()) return patch_glb(path, character.rig, motion, keys);
    require_finite(path, character.rig.skeleton, motion);
    write_glb(path, character.rig, motion, keys);
}

void export_motion(const std::string& path, const Character& character, const MotionView& motion,
                   std::vector<std::string>* notes) {
    const std::string ending = std::filesystem::path(path).extension().string();
    if (ending == ".bvh") return write_bvh(path, character, motion, notes);
    if (ending == ".glb")
        return write_keyed_glb(path, character, motion, key_every_frame(character.rig.skeleton, motion));
    throw FileError(path, "is neither .bvh nor .glb", "choose one of these endings");
}

void export_take(const std::string& path, const Character& character, const Take& take,
                 std::vector<std::string>* notes) {
    export_motion(path, character, TakeView(take), notes);
}

}  // namespace nb
