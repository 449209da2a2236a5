#include "core/intake/load.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/uuid.hpp"
#include "core/base/watch.hpp"
#include "core/body/carried.hpp"
#include "core/body/lines.hpp"
#include "core/body/measures.hpp"
#include "core/body/propose.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/files/scene/child.hpp"
#include "core/files/scene/scene.hpp"
#include "core/files/what_is.hpp"
#include "core/intake/along.hpp"
#include "core/intake/repair.hpp"
#include "core/intake/things.hpp"
#include "core/intake/travel.hpp"
#include "core/motion/edit.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rig/units.hpp"

namespace nb {

namespace {

std::string axis_name(int axis, double sign) {
    return fmt::format("{}{}", sign < 0 ? '-' : '+', "XYZ"[axis]);
}

Vec3 axis_vector(const std::string& name, const std::string& path) {
    if (name.size() == 2 && (name[0] == '+' || name[0] == '-') && name[1] >= 'X' && name[1] <= 'Z') {
        Vec3 v = Vec3::Zero();
        v[name[1] - 'X'] = name[0] == '-' ? -1.0 : 1.0;
        return v;
    }
    throw FileError(path, fmt::format("'{}' is no axis", name), "write +X, -X ... +Z, -Z");
}

std::string largest_axis(const Vec3& v) {
    int axis = 0;
    v.cwiseAbs().maxCoeff(&axis);
    return axis_name(axis, v[axis]);
}

Vec3 middle_of(const RoleMap& roles, const Pose& pose, std::initializer_list<const char*> parts) {
    Vec3 sum = Vec3::Zero();
    int count = 0;
    for (const std::string part : parts)
        for (const auto* side : {".left", ".right"})
            if (const int j = roles.joint(part + side); j >= 0) {
                sum += pose.p[size_t(j)];
                ++count;
            }
    return count ? Vec3(sum / count) : sum;
}

/// From the hip centre to the head (or shoulders), the body's own up in this pose.
Vec3 trunk_direction(const RoleMap& roles, const Pose& pose) {
    if (roles.is_four_legged())
        return (middle_of(roles, pose, {"thigh", "upperarm"}) - middle_of(roles, pose, {"foot", "hand"}))
            .normalized();
    const Vec3 centre = hip_centre(pose.p, lines_of(roles));
    Vec3 top = centre;
    if (const int head = roles.joint("head"); head >= 0) {
        top = pose.p[size_t(head)];
    } else if (roles.joint("upperarm.left") >= 0 && roles.joint("upperarm.right") >= 0) {
        top = 0.5 *
              (pose.p[size_t(roles.joint("upperarm.left"))] + pose.p[size_t(roles.joint("upperarm.right"))]);
    } else {
        const int left = roles.joint("foot.left");
        const int right = roles.joint("foot.right");
        if (left >= 0 && right >= 0)
            top = centre + (centre - 0.5 * (pose.p[size_t(left)] + pose.p[size_t(right)]));
    }
    const Vec3 direction = top - centre;
    return direction.norm() > 0 ? Vec3(direction.normalized()) : Vec3(Vec3::Zero());
}

/// Where the pelvis faces: the thigh-joint line crossed with up.
Vec3 pelvis_facing(const RoleMap& roles, const Pose& pose, const Vec3& up) {
    if (roles.is_four_legged())
        return middle_of(roles, pose, {"upperarm"}) - middle_of(roles, pose, {"thigh"});
    return body_left(roles, pose).cross(up);
}

void find_axes(const Skeleton& skeleton, const RoleMap& roles, const Take& take, const LoadOptions& options,
               FileConventions& conventions) {
    const Pose rest = rest_pose(skeleton);
    std::string why;
    if (!can_be_transferred(roles, why)) {
        conventions.axes_reason = "no body found: +Y taken as up, +Z as ahead";
        return;
    }
    const Vec3 rest_trunk = trunk_direction(roles, rest);
    Vec3 trunk = rest_trunk;
    conventions.axes_reason = "the rest pose stands along it";
    if (take.frames > 0) {
        Vec3 mean = Vec3::Zero();
        const int step = std::max(1, take.frames / 60);
        int count = 0;
        for (int f = 0; f < take.frames; f += step, ++count)
            mean += trunk_direction(roles, pose_at(skeleton, take, f));
        mean /= count;
        if (mean.cwiseAbs().maxCoeff() > 0.75) {
            trunk = mean;
            conventions.axes_reason = largest_axis(mean) == largest_axis(rest_trunk)
                                          ? "rest pose and take stand along it"
                                          : "the take stands along it (the rest pose does not)";
        }
    }
    conventions.up = options.up.value_or(largest_axis(trunk));
    const Vec3 up = axis_vector(conventions.up, "the up axis");
    Vec3 facing = pelvis_facing(roles, rest, up);
    facing -= up * up.dot(facing);
    const bool rest_stands = rest_trunk.dot(up) > 0.5 && facing.norm() > 1e-9;
    if (!rest_stands)
        facing = take.frames > 0 ? pelvis_facing(roles, pose_at(skeleton, take, 0), up) : Vec3(Vec3::UnitZ());
    facing -= up * up.dot(facing);
    if (facing.norm() < 1e-9) facing = up.unitOrthogonal();
    conventions.facing = options.facing.value_or(largest_axis(facing));
    const Vec3 ahead = axis_vector(conventions.facing, "the facing axis");
    if (std::abs(ahead.dot(up)) > 0.5)
        throw FileError("axes", fmt::format("{} cannot be up and ahead at once", conventions.facing),
                        "choose another");
    // Columns: file axes of the world's X, Y, Z.
    Mat3 R_FW;
    R_FW.col(1) = up;
    R_FW.col(2) = ahead;
    R_FW.col(0) = up.cross(ahead);
    conventions.R_WF = Quat(Mat3(R_FW.transpose()));
}

void find_unit(const Skeleton& skeleton, const RoleMap& roles, const LoadOptions& options,
               FileConventions& conventions) {
    if (options.unit_m) {
        conventions.unit_m = *options.unit_m;
        conventions.unit_reason = "said by hand";
        return;
    }
    conventions.is_unit_guessed = true;
    const bool is_quadruped = roles.is_four_legged();
    // On four legs the head stands about 1.4 hind legs high (dogs; from memory).
    const double height =
        is_quadruped
            ? 1.4 * (leg_length(skeleton, roles) + length_between(skeleton, roles, "foot.left", "toe.left"))
            : body_height(skeleton, roles);
    if (!(height > 0.0)) {
        conventions.unit_reason = "no body to measure: metres assumed";
        return;
    }
    // Grown people and children first, then anything from a toddler to a giant.
    const auto ranges = is_quadruped ? std::array{std::pair{0.3, 1.3}, std::pair{0.1, 2.9}}
                                     : std::array{std::pair{1.25, 2.15}, std::pair{0.75, 2.9}};
    for (const auto& [low, high] : ranges) {
        for (const KnownUnit& unit : known_units) {
            const double metres = height * unit.metres;
            if (metres < low || metres > high) continue;
            conventions.unit_m = unit.metres;
            conventions.unit_reason = fmt::format("a body {:.4g} units high is {:.0f} cm tall in the unit {}",
                                                  height, 100.0 * metres, unit.name);
            return;
        }
    }
    conventions.unit_m = 1.75 / height;
    conventions.unit_reason =
        fmt::format("no common unit makes a body of {:.4g} units human; scaled to 175 cm", height);
}

/// From file unit and axes to the world's.
void bring_into_world(const FileConventions& conventions, Skeleton& skeleton, std::vector<Mesh>& meshes,
                      Take& take) {
    const Quat& R_WF = conventions.R_WF;
    const Quat R_FW = R_WF.conjugate();
    const auto place = [&](Vec3& v) { v = conventions.unit_m * (R_WF * v); };
    const bool is_turned = angle_between(R_WF, Quat::Identity()) > 1e-12;
    for (Vec3& v : skeleton.rest_p) place(v);
    for (EndSite& site : skeleton.end_sites) place(site.offset_m);
    for (Vec3& v : take.p.edit()) place(v);
    // Attachments end in the joint's frame, which turns and grows with the world.
    Eigen::Matrix4d to_world = Eigen::Matrix4d::Identity();
    to_world.block<3, 3>(0, 0) = conventions.unit_m * R_WF.toRotationMatrix();
    for (Mesh& mesh : meshes)
        for (MeshJoint& bound : mesh.palette) bound.attach = to_world * bound.attach;
    if (!is_turned) return;
    for (Quat& R : skeleton.rest_R) R = R_WF * R * R_FW;
    for (Quat& R : skeleton.bind_R) R = R_WF * R * R_FW;
    for (Quat& R : take.R.edit()) R = R_WF * R * R_FW;
}

/// The same joints in another order (new place: old place), everywhere where joints are counted.
void reorder_joints(SkeletonFile& file, const std::vector<int>& order) {
    std::vector<int> place(order.size());
    for (size_t i = 0; i < order.size(); ++i) place[size_t(order[i])] = int(i);
    const auto permute = [&](auto& values) {
        if (values.size() != order.size()) return;
        auto old = values;
        for (size_t i = 0; i < order.size(); ++i) values[i] = old[size_t(order[i])];
    };
    Skeleton& s = file.skeleton;
    permute(s.names);
    permute(s.parents);
    for (int& parent : s.parents)
        if (parent >= 0) parent = place[size_t(parent)];
    permute(s.rest_R);
    permute(s.rest_p);
    permute(s.bind_R);
    for (EndSite& site : s.end_sites) site.joint = place[size_t(site.joint)];
    permute(file.channels);
    permute(file.nodes);
    for (auto& [role, joint] : file.mapping) joint = place[size_t(joint)];
    for (Mesh& mesh : file.meshes)
        for (MeshJoint& joint : mesh.palette)
            if (joint.joint >= 0) joint.joint = place[size_t(joint.joint)];
    Take& take = file.take;
    if (take.frames == 0) return;
    const Take old = take;
    std::vector<Quat>& R = take.R.edit();
    std::vector<Vec3>& p = take.p.edit();
    for (int f = 0; f < take.frames; ++f)
        for (size_t i = 0; i < order.size(); ++i)
            R[size_t(f) * order.size() + i] = old.R[size_t(f) * order.size() + size_t(order[i])];
    std::vector<std::pair<int, size_t>> moved;
    for (size_t i = 0; i < old.translated.size(); ++i)
        moved.emplace_back(place[size_t(old.translated[i])], i);
    std::sort(moved.begin(), moved.end());
    for (size_t i = 0; i < moved.size(); ++i) {
        take.translated[i] = moved[i].first;
        for (int f = 0; f < take.frames; ++f)
            p[size_t(f) * moved.size() + i] = old.p[size_t(f) * moved.size() + moved[i].second];
    }
}

/// A limb whose last bone has no end has it where its skin ends, so that it has a direction.
void end_bare_limbs(SkeletonFile& file, const RoleMap& roles, const std::vector<JointSkin>& skin) {
    if (skin.empty()) return;
    const auto children = file.skeleton.children();
    const Pose pose = rest_pose(file.skeleton);
    for (const RoleFill& fill : roles.fills) {
        const std::string part = role_part(fill.role);
        if (part != "upperarm" && part != "forearm" && part != "thigh" && part != "shin") continue;
        const size_t j = size_t(fill.joint);
        const bool has_site = std::any_of(file.skeleton.end_sites.begin(), file.skeleton.end_sites.end(),
                                          [&](const EndSite& site) { return site.joint == fill.joint; });
        if (!children[j].empty() || has_site || skin[j].weight <= 0.0) continue;
        const Vec3 tip = 2.0 * (skin[j].centre - pose.p[j]);
        if (tip.norm() > 1e-9) file.skeleton.end_sites.push_back({fill.joint, pose.R[j].conjugate() * tip});
    }
}

/// The file's own humanoid mapping stands above what is proposed; the rest is filled by evidence.
void use_mapping(const SkeletonFile& file, RoleMap& roles) {
    if (file.mapping.empty()) return;
    for (const auto& mapped : file.mapping) {
        std::erase_if(roles.fills, [&mapped](const RoleFill& fill) {
            return fill.role == mapped.first || fill.joint == mapped.second;
        });
        roles.fills.push_back(
            {mapped.first, mapped.second, 0.98, {"the file's own humanoid mapping says so"}, false});
    }
    roles.plan = "biped";
    roles.notes.emplace_back("the file has a humanoid mapping (VRM 1.0): its roles are taken from it");
    update_role_lists(file.skeleton, roles);
}

void repair_take(Take& take, const LoadOptions& options, const std::string& path, int& bridged) {
    if (options.bridge_breaks) {
        const auto breaks = find_breaks(take);
        bridge(take, breaks);
        bridged = int(breaks.size());
    }
    const int last = options.trim_last > 0 ? std::min(options.trim_last, take.frames) : take.frames;
    if (options.trim_first > 0 || last < take.frames) {
        if (options.trim_first < 0 || options.trim_first >= last)
            throw FileError(path, "the trim leaves no frames", "keep at least one frame");
        take = trim(take, options.trim_first, last);
    }
    if (options.fps && std::abs(*options.fps - take.fps()) > 1e-9) {
        if (!(*options.fps >= 0.1 && *options.fps <= 1000.0))
            throw FileError(path, fmt::format("{} frames a second is no rate", *options.fps),
                            "give 0.1 to 1000");
        take = resample(take, *options.fps);
    }
}

}  // namespace

namespace {

/// Names in the encoding of an older program become UTF-8; the guess is told.
void read_names(SkeletonFile& file) {
    std::vector<std::string> texts = file.skeleton.names;
    texts.insert(texts.end(), file.animations.begin(), file.animations.end());
    std::string& encoding = file.facts.encoding;
    if (encoding.empty()) {
        encoding = guess_encoding(texts);
        if (encoding.empty()) return;
        for (auto* names : {&file.skeleton.names, &file.animations})
            for (std::string& name : *names) name = to_utf8(name, encoding);
        for (FileNode& node : file.nodes) node.name = to_utf8(node.name, encoding);
        for (Mesh& mesh : file.meshes) mesh.name = to_utf8(mesh.name, encoding);
        for (std::string& note : file.notes) note = to_utf8(note, encoding);
    }
    file.notes.push_back(fmt::format("its names are no UTF-8: they are read as {}, a guess from their bytes",
                                     encoding_name(encoding)));
}

/// Beyond it sums of lengths lose their meaning.
constexpr double longest = 1e9;

/// A body must have an extent, and stand where numbers still mean something.
void check_extent(const SkeletonFile& file, const std::string& path) {
    const Skeleton& s = file.skeleton;
    const auto check = [&](const Vec3& p, const std::string& name) {
        if (!p.allFinite() || p.cwiseAbs().maxCoeff() > longest)
            throw FileError(path,
                            fmt::format("the bone '{}' stands at {:.3g}, beyond any length", name,
                                        p.cwiseAbs().maxCoeff()),
                            "look at its unit and scale, and export it again");
    };
    for (size_t j = 0; j < s.names.size(); ++j) {
        check(s.rest_p[j], s.names[j]);
        if (!s.rest_R[j].coeffs().allFinite())
            throw FileError(path, fmt::format("the bone '{}' has a rotation that is no number", s.names[j]),
                            "export the file again");
    }
    const Take& take = file.take;
    for (size_t i = 0; i < take.p.size(); ++i)
        check(take.p[i], s.names[size_t(take.translated[i % take.translated.size()])]);
    for (size_t i = 0; i < take.R.size(); ++i)
        if (!take.R[i].coeffs().allFinite())
            throw FileError(
                path, fmt::format("the bone '{}' has a key that is no number", s.names[i % s.names.size()]),
                "repair the capture at this place");
    const Pose rest = rest_pose(s);
    double extent = 0.0;
    for (const Vec3& p : rest.p) extent = std::max(extent, (p - rest.p[0]).norm());
    for (const EndSite& site : s.end_sites) extent = std::max(extent, site.offset_m.norm());
    if (!(extent > 1e-9 && extent < longest) && s.size() > 1)
        throw FileError(
            path,
            extent < 1.0 ? "has no extent: all its bones lie in one point" : "reaches beyond any length",
            "look at its scale, and export it again");
}

}  // namespace

LoadedFile load_parsed(SkeletonFile file, const std::string& path, const std::string& format,
                       const LoadOptions& options) {
    if (file.animations.empty()) check_animation(path, {file.take.name}, options.animation);
    read_names(file);
    look_up(0.7);
    check_extent(file, path);
    LoadedFile loaded;
    Character& character = loaded.character;
    Rig& rig = character.rig;
    rig.path = path;
    rig.name = std::filesystem::path(path).stem().string();
    rig.format = format;
    character.id = make_uuid();
    character.name = rig.name;
    rig.options = options;
    rig.facts = std::move(file.facts);
    rig.facts.renamed = make_names_unique(file.skeleton);
    for (const auto& name : rig.facts.renamed)
        file.notes.push_back(fmt::format("a bone name was used twice: the later one is '{}' here", name));
    if (!options.along.empty() && file.take.frames > 0) {
        LoadOptions alone = options;
        alone.along.clear();
        alone.trim_first = alone.trim_last = 0;
        alone.fps.reset();
        put_along(file, load_parsed(file, path, format, alone), path, options.along, options.is_by_hand);
        rig.facts.along = std::move(file.facts.along);
        rig.facts.away = std::move(file.facts.away);
    }
    RoleRequest request;
    request.ignore_names = options.ignore_names;
    request.plan = options.plan;
    request.skin = measure_skin(file.skeleton, file.meshes);
    request.motion = measure_motion(file.skeleton, file.take);
    if (!options.plan.empty() && !find_body_plan(options.plan))
        throw FileError(path, fmt::format("'{}' is no body plan", options.plan),
                        fmt::format("choose of {}", fmt::join(body_plan_names(), ", ")));
    if (!options.tree.empty()) {
        request.tree = file.skeleton.find(options.tree);
        if (request.tree < 0)
            throw FileError(path, fmt::format("has no bone '{}' to choose its tree by", options.tree),
                            "name a bone of the body");
        while (file.skeleton.parents[size_t(request.tree)] >= 0)
            request.tree = file.skeleton.parents[size_t(request.tree)];
    }
    look_up(0.75);
    character.roles = propose_roles(file.skeleton, request);
    look_up(0.9);
    if (!options.ignore_names) use_mapping(file, character.roles);
    if (const std::vector<int> order = order_for_carrying(file.skeleton, character.roles); !order.empty()) {
        reorder_joints(file, order);
        request.skin = measure_skin(file.skeleton, file.meshes);
        request.motion = measure_motion(file.skeleton, file.take);
        if (request.tree >= 0)
            request.tree = int(std::find(order.begin(), order.end(), request.tree) - order.begin());
        character.roles = propose_roles(file.skeleton, request);
        if (!options.ignore_names) use_mapping(file, character.roles);
    }
    end_bare_limbs(file, character.roles, request.skin);
    find_axes(file.skeleton, character.roles, file.take, options, rig.conventions);
    if (format == "glb" && !options.unit_m) {
        rig.conventions.unit_reason = "glTF is in metres";
    } else if (file.unit_m > 0.0 && !options.unit_m) {
        rig.conventions.unit_m = file.unit_m;
        rig.conventions.unit_reason = file.unit_reason;
    } else {
        find_unit(file.skeleton, character.roles, options, rig.conventions);
    }
    bring_into_world(rig.conventions, file.skeleton, file.meshes, file.take);
    rig.skeleton = std::move(file.skeleton);
    rig.channels = std::move(file.channels);
    std::erase_if(file.meshes, [&](const Mesh& mesh) {
        return std::ranges::find(options.without_meshes, mesh.name) != options.without_meshes.end();
    });
    rig.meshes = std::move(file.meshes);
    rig.images = std::move(file.images);
    rig.nodes = std::move(file.nodes);
    rig.notes = std::move(file.notes);
    rig.notes.insert(rig.notes.end(), character.roles.notes.begin(), character.roles.notes.end());
    Take& take = file.take;
    take.name = rig.name;
    loaded.file_frames = take.frames;
    loaded.file_fps = take.frames > 0 ? take.nominal_fps() : 0.0;
    if (take.frames > 0) repair_take(take, options, path, loaded.bridged);
    add_things(rig, take, options.things);
    if (!options.things.empty()) update_role_lists(rig.skeleton, character.roles);
    std::string why_not;
    if (can_be_transferred(character.roles, why_not)) {
        if (!options.lengths.empty())
            change_lengths(rig.skeleton, character.roles, options.lengths, take.frames > 0 ? &take : nullptr);
        stand_rest(rig.skeleton, character.roles, options.on_floor, options.over_origin);
    }
    if (take.frames > 0) {
        take.first_motion_frame = find_first_motion_frame(take);
        if (take.first_motion_frame > 0)
            rig.notes.emplace_back(
                "frame 0 is a pose of its own before the motion: kept, and left out of reviews");
    }
    loaded.animations = std::move(file.animations);
    if (loaded.animations.size() > 1) {
        take.name = loaded.animations[size_t(options.animation)];
        rig.notes.push_back(fmt::format("the file holds {} animations ({}): this is number {}",
                                        loaded.animations.size(), fmt::join(loaded.animations, ", "),
                                        options.animation + 1));
    }
    std::string why;
    look_up(0.95);
    if (can_be_transferred(character.roles, why)) {
        align_to_t(character, take.frames > 0 ? &take : nullptr);
        if (take.frames > 0 && options.set_down) set_down(character, take);
        if (take.frames > 0 && options.give_travel) give_travel(character, take);
    }
    if (take.frames > 0) loaded.take = std::move(take);
    carry_things(loaded, options.is_by_hand);
    return loaded;
}

void check_animation(const std::string& path, const std::vector<std::string>& animations, int number) {
    if (number < 0 || size_t(number) >= animations.size())
        throw FileError(path,
                        fmt::format("holds {} animation{}, no number {}", animations.size(),
                                    animations.size() == 1 ? "" : "s", number + 1),
                        fmt::format("choose of 1 to {}", animations.size()));
}

LoadedFile load_bvh(std::string_view text, const std::string& path, const LoadOptions& options) {
    return load_parsed(parse_bvh(text, path), path, "bvh", options);
}

LoadedFile load_file(const std::string& path, const LoadOptions& options) {
    std::string ending = std::filesystem::path(path).extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? char(c + 32) : c; });
    if (ending == ".glb" || ending == ".gltf" || ending == ".vrm")
        return load_parsed(read_gltf(path, options.animation), path, "glb", options);
    if (is_scene_ending(ending))
        return load_parsed(read_scene_apart(path, options.animation), path, ending.substr(1), options);
    const std::string text = read_file(path);
    if (text.find_first_not_of(" \t\r\n") == std::string::npos)
        throw FileError(path, "is empty", "export it again");
    if (ending == ".bvh" && !what_is(text).starts_with("a BVH") && !what_is(text).starts_with("text"))
        throw FileError(path, fmt::format("is no BVH motion file but {}", what_is(text)),
                        "rename it after what it is");
    const auto start = text.find_first_not_of(" \t\r\n\xEF\xBB\xBF");
    if (ending == ".bvh" || (start != std::string::npos && (text[start] | 32) == 'h'))
        return load_bvh(text, path, options);
    throw FileError(
        path,
        fmt::format("{}: it is {}",
                    ending.empty() ? "is of no known type" : fmt::format("'{}' files are not read", ending),
                    what_is(text)),
        "give a file with a skeleton: .bvh, .glb, .gltf, .fbx, .dae ...");
}

FileFrames frames_in_file(const LoadedFile& file) {
    FileFrames frames;
    if (file.take && file.file_fps > 0.0) frames.rate = file.file_fps * file.take->frame_time_s;
    frames.first = file.character.rig.options.trim_first;
    return frames;
}

}  // namespace nb
