#include "core/handover/write.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "core/base/csv.hpp"
#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/standards.hpp"
#include "core/files/gltf/glb_rig.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/export.hpp"
#include "core/handover/gltf_patch.hpp"
#include "core/handover/props.hpp"
#include "core/handover/scene_write.hpp"
#include "core/motion/finite.hpp"

namespace nb {

namespace {

MotionKeys keys_of(const Skeleton& skeleton, const Take& take, const Handed& handed,
                   const WriteOptions& options, const Watch& watch, Written& written) {
    const TakeView view(take);
    MotionKeys keys = key_every_frame(skeleton, view);
    written.keys_before = keys.count();
    if (options.reduce) {
        Reduction reduction = reduce_keys(skeleton, view, *options.reduce, handed.kept_frames, watch);
        written.error = reduction.error;
        keys = std::move(reduction.keys);
    }
    written.keys = keys.count();
    const auto count = [](const auto& list, const auto& is) {
        return size_t(std::count_if(list.begin(), list.end(), is));
    };
    const auto has_keys = [](const std::vector<int>& frames) { return !frames.empty(); };
    const auto is_curved = [](char curved) { return curved != 0; };
    written.channels = count(keys.turns, has_keys) + count(keys.places, has_keys);
    written.curved = count(keys.are_turns_curved, is_curved) + count(keys.are_places_curved, is_curved);
    for (int j = 0; j < skeleton.size(); ++j)
        if (keys.turns[size_t(j)].empty() && keys.places_of(take, j).empty())
            written.without_keys.push_back(skeleton.names[size_t(j)]);
    return keys;
}

/// The node of an added root bone, between the joint that moves the body and what that hung on.
void add_root_node(GlbParts& parts, const Handed& handed, GlbFrames& frames) {
    Json& nodes = parts.json["nodes"];
    const int top = frames.nodes[size_t(handed.top)].node;
    const int root = int(nodes.size());
    nodes.push_back({{"name", frames.nodes[size_t(handed.root)].name}, {"children", Json::array({top})}});
    const auto replace_in = [&](Json& list) {
        for (Json& child : list)
            if (child == top) child = root;
    };
    for (int n = 0; n < root; ++n)
        if (nodes[size_t(n)].contains("children")) replace_in(nodes[size_t(n)]["children"]);
    if (parts.json.contains("scenes"))
        for (Json& scene : parts.json["scenes"])
            if (scene.contains("nodes")) replace_in(scene["nodes"]);
    if (parts.json.contains("skins"))
        for (Json& skin : parts.json["skins"])
            if (skin.value("skeleton", -1) == top) skin["skeleton"] = root;
    frames.nodes[size_t(handed.root)].node = root;
}

/// Of a file that has them already: bones that are not of the rig's own file.
void find_added_nodes(const GlbParts& parts, GlbFrames& frames) {
    const auto& nodes = parts.json["nodes"];
    for (FileNode& bone : frames.nodes)
        for (size_t n = nodes.size(); bone.node < 0 && n-- > 0;)
            if (nodes[n].value("name", "") == bone.name) bone.node = int(n);
}

/// Props stand beside the body, in the scene.
void add_prop_nodes(GlbParts& parts, const Handed& handed, GlbFrames& frames) {
    for (size_t j = frames.nodes.size() - size_t(handed.props); j < frames.nodes.size(); ++j) {
        if (frames.nodes[j].node >= 0) continue;
        frames.nodes[j].node =
            int(parts.append("nodes", {{"name", frames.nodes[j].name}, {"extras", {{prop_mark, true}}}}));
        if (parts.json.contains("scenes"))
            for (auto& scene : parts.json["scenes"]) scene["nodes"].push_back(frames.nodes[j].node);
    }
}

void leave_out_meshes(GlbParts& parts) {
    hide_meshes(parts, [](const std::string&) { return true; });
    for (const char* what : {"meshes", "materials", "textures", "images", "samplers"}) parts.json.erase(what);
    // Skins stay: they say which nodes are bones.
}

void write_as_glb(const std::string& path, const Handed& handed, const WriteOptions& options,
                  const Watch& watch, Written& written) {
    const Rig& rig = handed.character.rig;
    const Take take = local_take(handed);
    require_finite(path, rig.skeleton, take);
    const MotionKeys keys = keys_of(rig.skeleton, take, handed, options, watch, written);
    // Of a rig that is in memory alone nodes are joints; props come to it as to any file.
    GlbFrames frames = glb_frames(rig);
    for (size_t j = frames.nodes.size() - size_t(handed.props); j < frames.nodes.size(); ++j)
        frames.nodes[j].node = -1;
    const auto make_parts = [&] {
        if (!options.added_to.empty()) {
            Rig there = rig;
            there.path = options.added_to;
            there.nodes = frames.nodes;
            GlbParts parts(there);
            find_added_nodes(parts, frames);
            return parts;
        }
        if (rig.nodes.empty()) {
            Rig alone = rig_without_props(handed);
            if (options.is_motion_alone) alone.meshes.edit().clear();
            if (options.is_motion_alone) alone.images.edit().clear();
            return rig_as_glb(alone);
        }
        GlbParts parts = own_parts(rig);
        if (handed.is_root_added) add_root_node(parts, handed, frames);
        if (options.is_motion_alone) leave_out_meshes(parts);
        return parts;
    };
    with_json_of(rig.path, [&] {
        GlbParts parts = make_parts();
        add_prop_nodes(parts, handed, frames);
        add_animation(parts, frames, rig.skeleton, TakeView(take), keys,
                      handed.starts_at_s != 0.0 ? handed.starts_at_s + handed.motion.start_s : 0.0);
        parts.write(path);
    });
}

void write_as_csv(const std::string& path, const Handed& handed) {
    const Skeleton& skeleton = handed.character.rig.skeleton;
    const WorldMotion& motion = handed.motion;
    write_file_in_parts(path, [&](const auto& put) {
        put("frame,time_s,joint,x_m,y_m,z_m,qx,qy,qz,qw\r\n");
        std::string text;
        for (int f = 0; f < motion.frames; ++f) {
            text.clear();
            for (int j = 0; j < motion.joints; ++j) {
                const Vec3& p = motion.p[motion.at(f, j)];
                const Quat& R = motion.R[motion.at(f, j)];
                text += fmt::format("{},{:.7g},{},{:.9g},{:.9g},{:.9g},{:.9g},{:.9g},{:.9g},{:.9g}\r\n", f,
                                    f * motion.frame_time_s, csv_cell(skeleton.names[size_t(j)]), p.x(),
                                    p.y(), p.z(), R.x(), R.y(), R.z(), R.w());
            }
            put(text);
        }
    });
}

/// The bones of the humanoid alone, in their aligned rest.
Handed humanoid_of(const Handed& handed, std::vector<std::pair<std::string, int>>& bones) {
    Handed human;
    human.name = handed.name;
    human.frame_time_text = handed.frame_time_text;
    const Skeleton& skeleton = handed.character.rig.skeleton;
    const RestAlignment& rest = handed.character.rest;
    Skeleton& own = human.character.rig.skeleton;
    human.character.rig.path = handed.character.rig.path;
    std::vector<int> kept_as(skeleton.names.size(), -1);
    // Eyes look; the format has no turns for them.
    std::erase_if(bones, [](const auto& bone) { return bone.first.ends_with("Eye"); });
    std::vector<int> joints;
    joints.reserve(bones.size());
    for (const auto& [name, joint] : bones) joints.push_back(joint);
    std::sort(joints.begin(), joints.end());
    for (const int j : joints) {
        int above = skeleton.parents[size_t(j)];
        while (above >= 0 && kept_as[size_t(above)] < 0) above = skeleton.parents[size_t(above)];
        const int parent = above < 0 ? -1 : kept_as[size_t(above)];
        kept_as[size_t(j)] = own.size();
        own.names.push_back(skeleton.names[size_t(j)]);
        own.parents.push_back(parent);
        const Rigid X_W = {rest.R_WJ0[size_t(j)], rest.p_WJ0[size_t(j)]};
        const Rigid X =
            above < 0 ? X_W : inverse({rest.R_WJ0[size_t(above)], rest.p_WJ0[size_t(above)]}) * X_W;
        own.rest_R.push_back(X.R.normalized());
        own.rest_p.push_back(X.p);
    }
    const WorldMotion& from = handed.motion;
    human.motion.start_s = from.start_s;
    human.motion.frame_time_s = from.frame_time_s;
    human.motion.resize(from.frames, own.size());
    for (int f = 0; f < from.frames; ++f)
        for (size_t i = 0; i < joints.size(); ++i) {
            human.motion.R[human.motion.at(f, int(i))] = from.R[from.at(f, joints[i])];
            human.motion.p[human.motion.at(f, int(i))] = from.p[from.at(f, joints[i])];
        }
    for (auto& [name, joint] : bones) joint = kept_as[size_t(joint)];
    for (size_t i = 0; i < own.parents.size(); ++i)
        if (own.parents[i] < 0) human.own_places.push_back(int(i));
    return human;
}

void write_as_vrma(const std::string& path, const Handed& handed, const WriteOptions& options,
                   const Watch& watch, Written& written) {
    const RoleMap& roles = handed.character.roles;
    if (const std::string why = why_not_in(".vrma", handed.character); !why.empty())
        throw FileError(path, why, "give these roles a bone");
    auto bones = vrm_bones(roles);
    const Handed human = humanoid_of(handed, bones);
    const Skeleton& skeleton = human.character.rig.skeleton;
    const Take take = local_take(human);
    require_finite(path, skeleton, take);
    const MotionKeys keys = keys_of(skeleton, take, human, options, watch, written);
    GlbParts parts = rig_as_glb(human.character.rig);
    parts.json.erase("skins");
    add_animation(parts, glb_frames(human.character.rig), skeleton, TakeView(take), keys);
    Json humanoid = Json::object();
    for (const auto& [name, joint] : bones) humanoid[name] = {{"node", joint}};
    parts.json["extensionsUsed"] = Json::array({"VRMC_vrm_animation"});
    parts.json["extensions"]["VRMC_vrm_animation"] = {{"specVersion", "1.0"},
                                                      {"humanoid", {{"humanBones", humanoid}}}};
    parts.write(path);
    const Stance& stance = handed.character.rest.stance;
    if (stance.kind != Stance::Kind::arms || stance.arms_down_rad != 0.0)
        written.notes.push_back(fmt::format(
            "the format asks for a T at rest, this body is aligned to {}: choose T in the station Rest",
            stance_name(stance)));
}

void write_as_bvh(const std::string& path, const Handed& handed, Written& written) {
    const Take take = local_take(handed);
    export_take(path, handed.character, take, &written.notes);
    size_t turned = 0;
    for (int j = 0; j < take.joints; ++j)
        turned += handed.character.rig.skeleton.parents[size_t(j)] >= 0 ? 1 : 2;
    written.keys_before = written.keys = turned * size_t(take.frames);
}

void write_as_scene(const std::string& path, const Handed& handed, const WriteOptions& options,
                    Written& written) {
    const Rig& rig = handed.character.rig;
    const Take take = local_take(handed);
    require_finite(path, rig.skeleton, take);
    write_scene(path, rig, take, !options.is_motion_alone);
    if (path.ends_with(".dae") && dae_names(rig.skeleton.names) != rig.skeleton.names)
        written.notes.emplace_back(
            "names: what is neither letter, digit nor '-' is written as '_', for a node's name is its "
            "address in this format");
    written.keys_before = written.keys = 2 * size_t(take.frames) * size_t(take.joints);
}

}  // namespace

const std::vector<FileFormat>& file_formats() {
    static const std::vector<FileFormat> formats{{".glb", "glTF"},           {".bvh", "BVH"},
                                                 {".vrma", "VRM animation"}, {".fbx", "FBX, as text"},
                                                 {".dae", "COLLADA"},        {".csv", "table"}};
    return formats;
}

bool is_file_format(const std::string& ending) {
    const auto& formats = file_formats();
    return std::any_of(formats.begin(), formats.end(),
                       [&](const FileFormat& one) { return ending == one.ending; });
}

std::vector<std::string> lost_in(const std::string& ending, const Character& character) {
    if (ending == ".glb" || ending == ".bvh") return left_behind("x" + ending, character);
    if (ending == ".fbx" || ending == ".dae")
        return {"materials are colours alone; whether the motion is right in it is found by reading back"};
    if (ending == ".csv")
        return {"a table holds places and turns in the world: no skeleton, no rest, no mesh"};
    std::vector<std::string> lost;
    const size_t kept = vrm_bones(character.roles).size();
    if (const size_t joints = character.rig.skeleton.names.size(); kept < joints)
        lost.push_back(
            fmt::format("{} of {} bones are of the humanoid; mesh and all others stay behind", kept, joints));
    return lost;
}

std::string why_not_in(const std::string& ending, const Character& character) {
    if (ending != ".vrma") return {};
    const auto missing = missing_vrm_bones(character.roles);
    return missing.empty() ? "" : fmt::format("VRM asks for {}", fmt::join(missing, ", "));
}

Written write_handed(const std::string& path, const Handed& handed, const WriteOptions& options,
                     const Watch& watch) {
    if (handed.motion.frames < 1)
        throw FileError(path, "there are no frames to write", "choose a longer range");
    Written written;
    const std::string ending = std::filesystem::path(path).extension().string();
    if (ending == ".glb")
        write_as_glb(path, handed, options, watch, written);
    else if (ending == ".bvh")
        write_as_bvh(path, handed, written);
    else if (ending == ".vrma")
        write_as_vrma(path, handed, options, watch, written);
    else if (ending == ".csv")
        write_as_csv(path, handed);
    else if (ending == ".fbx" || ending == ".dae")
        write_as_scene(path, handed, options, written);
    else
        throw FileError(path, fmt::format("'{}' is no format that is written", ending),
                        "choose .glb, .bvh, .vrma, .fbx, .dae or .csv");
    return written;
}

}  // namespace nb
