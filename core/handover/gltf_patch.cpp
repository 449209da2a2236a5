#include "core/handover/gltf_patch.hpp"

#include <algorithm>

#include "core/base/fault.hpp"

namespace nb {

namespace {

/// Nodes no longer show meshes of these names; the meshes themselves stay in the file, unused.
void leave_out(const std::vector<std::string>& names, GlbParts& parts) {
    if (names.empty() || !parts.json.contains("nodes") || !parts.json.contains("meshes")) return;
    for (auto& node : parts.json["nodes"]) {
        if (!node.contains("mesh")) continue;
        const auto& mesh = parts.json["meshes"].at(node["mesh"].get<size_t>());
        if (std::find(names.begin(), names.end(), mesh.value("name", "")) == names.end()) continue;
        node.erase("mesh");
        node.erase("skin");
    }
}

}  // namespace

void patch_glb(const std::string& path, const Rig& rig, const MotionView& motion, const MotionKeys& keys,
               const std::function<void(GlbParts&, GlbFrames&)>& change) {
    if (motion.about().frames < 1)
        throw FileError(path, "there are no frames to write", "choose a longer range");
    with_json_of(rig.path, [&] {
        GlbParts parts(rig);
        GlbFrames frames = glb_frames(rig);
        leave_out(rig.options.without_meshes, parts);
        if (change) change(parts, frames);
        add_animation(parts, frames, rig.skeleton, motion, keys);
        parts.write(path);
    });
}

}  // namespace nb
