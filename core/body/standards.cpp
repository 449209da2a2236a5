#include "core/body/standards.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>

namespace nb {

namespace {

struct SidedName {
    const char* role;  ///< without its side
    const char* vrm;   ///< after "left" or "right"
    const char* iso;   ///< after "l_" or "r_"; version 1
};
constexpr std::array<SidedName, 24> sided{{{"clavicle", "Shoulder", "sternoclavicular"},
                                           {"upperarm", "UpperArm", "shoulder"},
                                           {"forearm", "LowerArm", "elbow"},
                                           {"hand", "Hand", "wrist"},
                                           {"thigh", "UpperLeg", "hip"},
                                           {"shin", "LowerLeg", "knee"},
                                           {"foot", "Foot", "ankle"},
                                           {"toe", "Toes", "metatarsal"},
                                           {"eye", "Eye", "eyeball_joint"},
                                           {"thumb.1", "ThumbMetacarpal", "thumb1"},
                                           {"thumb.2", "ThumbProximal", "thumb2"},
                                           {"thumb.3", "ThumbDistal", "thumb3"},
                                           {"index.1", "IndexProximal", "index1"},
                                           {"index.2", "IndexIntermediate", "index2"},
                                           {"index.3", "IndexDistal", "index3"},
                                           {"middle.1", "MiddleProximal", "middle1"},
                                           {"middle.2", "MiddleIntermediate", "middle2"},
                                           {"middle.3", "MiddleDistal", "middle3"},
                                           {"ring.1", "RingProximal", "ring1"},
                                           {"ring.2", "RingIntermediate", "ring2"},
                                           {"ring.3", "RingDistal", "ring3"},
                                           {"little.1", "LittleProximal", "pinky1"},
                                           {"little.2", "LittleIntermediate", "pinky2"},
                                           {"little.3", "LittleDistal", "pinky3"}}};
const std::array<const char*, 4> palms{"index", "middle", "ring", "little"};

std::vector<int> numbered(const RoleMap& roles, const char* part, int most) {
    std::vector<int> joints;
    for (int i = 1; i <= most; ++i)
        if (const int j = roles.joint(fmt::format("{}.{}", part, i)); j >= 0) joints.push_back(j);
    return joints;
}

std::vector<int> spine_of(const RoleMap& roles) {
    std::vector<int> spine = numbered(roles, "spine", 8);
    if (const int chest = roles.joint("chest"); chest >= 0) spine.push_back(chest);
    return spine;
}

}  // namespace

std::vector<std::pair<std::string, int>> vrm_bones(const RoleMap& roles) {
    std::vector<std::pair<std::string, int>> bones;
    const auto add = [&](const std::string& name, int joint) {
        if (joint >= 0) bones.emplace_back(name, joint);
    };
    add("hips", roles.joint("hips"));
    const std::vector<int> spine = spine_of(roles);
    if (!spine.empty()) add("spine", spine.front());
    if (spine.size() == 2) add("chest", spine[1]);
    if (spine.size() > 2) {
        add("chest", spine[spine.size() - 2]);
        add("upperChest", spine.back());
    }
    if (const auto neck = numbered(roles, "neck", 4); !neck.empty()) add("neck", neck.front());
    add("head", roles.joint("head"));
    add("jaw", roles.joint("jaw"));
    for (const SidedName& name : sided)
        for (const bool is_left : {true, false})

            add(std::string(is_left ? "left" : "right") + name.vrm,
                roles.joint(std::string(name.role) + (is_left ? ".left" : ".right")));
    return bones;
}

std::vector<std::string> missing_vrm_bones(const RoleMap& roles) {
    const auto bones = vrm_bones(roles);
    std::vector<std::string> missing;
    for (const auto* name : {"hips", "spine", "head", "leftUpperLeg", "leftLowerLeg", "leftFoot",
                             "rightUpperLeg", "rightLowerLeg", "rightFoot", "leftUpperArm", "leftLowerArm",
                             "leftHand", "rightUpperArm", "rightLowerArm", "rightHand"})
        if (std::none_of(bones.begin(), bones.end(), [&](const auto& b) { return b.first == name; }))
            missing.emplace_back(name);
    return missing;
}

std::vector<std::pair<std::string, int>> roles_of_vrm(const Skeleton& skeleton,
                                                      const std::vector<std::pair<std::string, int>>& bones) {
    const auto joint_of = [&](std::string_view name) {
        const auto at =
            std::find_if(bones.begin(), bones.end(), [&](const auto& bone) { return bone.first == name; });
        return at == bones.end() ? -1 : at->second;
    };
    std::vector<std::pair<std::string, int>> roles;
    const auto give = [&](const std::string& role, int joint) {
        if (joint >= 0) roles.emplace_back(role, joint);
    };
    const int hips = joint_of("hips");
    give("hips", hips);
    int chest = joint_of("upperChest");
    if (chest < 0) chest = joint_of("chest");
    if (chest < 0) chest = joint_of("spine");
    if (hips >= 0 && chest >= 0) {
        int number = 0;
        for (const int j : skeleton.path(hips, chest))
            give(j == chest ? std::string("chest") : fmt::format("spine.{}", ++number), j);
    }
    const int head = joint_of("head");
    int neck = joint_of("neck");
    if (neck >= 0 && head >= 0) {
        int number = 0;
        for (int j = neck; j >= 0 && j != head; ++number) {
            give(fmt::format("neck.{}", number + 1), j);
            const auto down = skeleton.path(j, head);
            j = down.empty() ? -1 : down.front();
        }
    }
    give("head", head);
    give("jaw", joint_of("jaw"));
    for (const SidedName& name : sided)
        for (const bool is_left : {true, false})

            give(std::string(name.role) + (is_left ? ".left" : ".right"),
                 joint_of(std::string(is_left ? "left" : "right") + name.vrm));
    return roles;
}

std::vector<std::pair<int, std::string>> iso_names(const RoleMap& roles) {
    std::vector<std::pair<int, std::string>> names;
    const auto add = [&](int joint, const std::string& name) {
        if (joint >= 0) names.emplace_back(joint, name);
    };
    add(roles.joint("hips"), "humanoid_root");
    static const std::array<const char*, 8> lumbar{"vl5", "vl4", "vl3", "vl2", "vl1", "vt10", "vt6", "vt3"};
    const std::vector<int> spine = numbered(roles, "spine", 8);
    for (size_t i = 0; i < spine.size(); ++i) {
        // Few bones are spread over the loin and the back, the first at the bottom.
        const size_t at = spine.size() <= 4 ? i * 2 : i;
        add(spine[i], lumbar[std::min<size_t>(at, 7)]);
    }
    add(roles.joint("chest"), "vt1");
    static const std::array<const char*, 4> cervical{"vc7", "vc5", "vc4", "vc2"};
    const std::vector<int> neck = numbered(roles, "neck", 4);
    for (size_t i = 0; i < neck.size(); ++i) add(neck[i], cervical[neck.size() == 1 ? 2 : i]);
    add(roles.joint("head"), "skullbase");
    add(roles.joint("jaw"), "temporomandibular");
    for (const SidedName& name : sided)
        for (const bool is_left : {true, false})

            add(roles.joint(std::string(name.role) + (is_left ? ".left" : ".right")),
                std::string(is_left ? "l_" : "r_") + name.iso);
    for (const auto* finger : palms)
        for (const bool is_left : {true, false})
            add(roles.joint(fmt::format("{}.palm.{}", finger, is_left ? "left" : "right")),
                fmt::format("{}_{}0", is_left ? "l" : "r",
                            finger == std::string_view("little") ? "pinky" : finger));
    return names;
}

}  // namespace nb
