#include "core/handover/vrm.hpp"

#include <fmt/format.h>
#include <tiny_gltf.h>

#include <algorithm>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/standards.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/glb_parts.hpp"
#include "core/files/gltf/humanoid.hpp"
#include "core/handover/export.hpp"
#include "core/handover/glb_animation.hpp"

namespace nb {

namespace gltf {

std::vector<std::pair<std::string, int>> read_humanoid(const tinygltf::Model& model,
                                                       const std::vector<int>& joint_of_node,
                                                       const Skeleton& skeleton) {
    const auto extension = model.extensions.find("VRMC_vrm");
    if (extension == model.extensions.end() || !extension->second.IsObject()) return {};
    const tinygltf::Value& bones = extension->second.Get("humanoid").Get("humanBones");
    if (!bones.IsObject()) return {};
    std::vector<std::pair<std::string, int>> found;
    for (const std::string& name : bones.Keys()) {
        const tinygltf::Value& node = bones.Get(name).Get("node");
        if (!node.IsInt()) continue;
        const int index = node.GetNumberAsInt();
        if (index < 0 || size_t(index) >= joint_of_node.size() || joint_of_node[size_t(index)] < 0) continue;
        found.emplace_back(name, joint_of_node[size_t(index)]);
    }
    return roles_of_vrm(skeleton, found);
}

}  // namespace gltf

void write_vrm(const std::string& path, const Character& character, const VrmMeta& meta) {
    const Rig& rig = character.rig;
    if (rig.nodes.empty() || (rig.format != "glb" && rig.format != "gltf"))
        throw FileError(rig.path, "is no glTF file: VRM is an extension of glTF", "give a .glb rig");
    if (const auto missing = missing_vrm_bones(character.roles); !missing.empty())
        throw FileError(rig.path, fmt::format("VRM asks for {}", fmt::join(missing, ", ")),
                        "give these roles a bone");
    with_json_of(rig.path, [&] {
        GlbParts parts(rig);
        Json bones = Json::object();
        for (const auto& [bone, joint] : vrm_bones(character.roles))
            bones[bone] = {{"node", rig.nodes[size_t(joint)].node}};
        Json& extension = parts.json["extensions"]["VRMC_vrm"];
        extension["specVersion"] = "1.0";
        if (!extension.contains("meta"))
            extension["meta"] = {{"name", meta.name},
                                 {"authors", Json::array({meta.author})},
                                 {"licenseUrl", meta.license_url}};
        extension["humanoid"]["humanBones"] = bones;
        Json& used = parts.json["extensionsUsed"];
        if (used.is_null()) used = Json::array();
        if (std::find(used.begin(), used.end(), "VRMC_vrm") == used.end()) used.push_back("VRMC_vrm");
        parts.write(path);
    });
}

void write_with_iso_names(const std::string& path, const Character& character) {
    const auto names = iso_names(character.roles);
    const std::string ending = std::filesystem::path(path).extension().string();
    if (ending == ".glb" && !character.rig.nodes.empty() && character.rig.format == "glb") {
        GlbParts parts(character.rig);
        for (const auto& [joint, name] : names)
            parts.json["nodes"][size_t(character.rig.nodes[size_t(joint)].node)]["name"] = name;
        return parts.write(path);
    }
    Character renamed = character;
    for (const auto& [joint, name] : names) renamed.rig.skeleton.names[size_t(joint)] = name;
    Take still;
    still.frames = 1;
    still.joints = renamed.rig.skeleton.size();
    still.frame_time_s = 1.0 / 30.0;
    still.frame_time_text = "0.0333333";
    still.R = renamed.rig.skeleton.rest_R;
    if (ending == ".bvh") return write_file(path, format_bvh(reframe_for_bvh(renamed, still)));
    if (ending == ".glb") return write_glb(path, renamed.rig.skeleton, still);
    throw FileError(path, "is neither .bvh nor .glb", "choose one of these endings");
}

}  // namespace nb
