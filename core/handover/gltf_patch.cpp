#include "core/handover/gltf_patch.hpp"

#include <algorithm>

#include "core/base/fault.hpp"

namespace nb {

void hide_meshes(GlbParts& parts, const std::function<bool(const std::string& name)>& is_hidden) {
    if (!parts.json.contains("nodes") || !parts.json.contains("meshes")) return;
    for (auto& node : parts.json["nodes"]) {
        if (!node.contains("mesh")) continue;
        const auto& mesh = parts.json["meshes"].at(node["mesh"].get<size_t>());
        if (!is_hidden(mesh.value("name", ""))) continue;
        node.erase("mesh");
        node.erase("skin");
    }
}

GlbParts own_parts(const Rig& rig) {
    GlbParts parts(rig);
    const std::vector<std::string>& without = rig.options.without_meshes;
    if (!without.empty())
        hide_meshes(parts, [&](const std::string& name) {
            return std::find(without.begin(), without.end(), name) != without.end();
        });
    return parts;
}

void patch_glb(const std::string& path, const Rig& rig, const MotionView& motion, const MotionKeys& keys) {
    if (motion.about().frames < 1)
        throw FileError(path, "there are no frames to write", "choose a longer range");
    with_json_of(rig.path, [&] {
        GlbParts parts = own_parts(rig);
        add_animation(parts, glb_frames(rig), rig.skeleton, motion, keys);
        parts.write(path);
    });
}

}  // namespace nb
