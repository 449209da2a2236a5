#include "core/body/reuse.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/body/names.hpp"
#include "core/body/propose.hpp"

namespace nb {

namespace {

int find_alike(const Skeleton& skeleton, const std::string& bone) {
    const BoneWords wanted = read_bone_name(bone);
    int found = -1;
    for (int j = 0; j < skeleton.size(); ++j) {
        const BoneWords words = read_bone_name(skeleton.names[size_t(j)]);
        if (words.words != wanted.words || words.side != wanted.side || words.number != wanted.number)
            continue;
        if (found >= 0) return -1;  // two that look the same are none
        found = j;
    }
    return found;
}

}  // namespace

double share_of_bones(const KnownRoles& known, const Skeleton& skeleton) {
    if (known.bones.empty()) return 0.0;
    const auto count = std::count_if(known.bones.begin(), known.bones.end(),
                                     [&](const auto& entry) { return skeleton.find(entry.second) >= 0; });
    return double(count) / double(known.bones.size());
}

Reuse reuse_roles(const KnownRoles& known, const Skeleton& skeleton) {
    Reuse reuse;
    RoleMap& roles = reuse.roles;
    roles.plan = known.plan;
    for (const auto& [role, bone] : known.bones) {
        int joint = skeleton.find(bone);
        const bool is_exact = joint >= 0;
        if (!is_exact) joint = find_alike(skeleton, bone);
        if (joint < 0 || !roles.role_of(joint).empty()) continue;
        ++(is_exact ? reuse.exact : reuse.alike);
        const bool was_by_hand =
            std::find(known.by_hand.begin(), known.by_hand.end(), role) != known.by_hand.end();
        roles.fills.push_back({role,
                               joint,
                               is_exact ? 0.97 : 0.9,
                               {fmt::format("'{}' has it on {}{}", known.name,
                                            is_exact ? "this bone" : "a bone of like name, '" + bone + "'",
                                            was_by_hand ? ", given by hand there" : "")},
                               was_by_hand});
        if (!is_exact)
            reuse.differences.push_back(
                fmt::format("{}: '{}' is called '{}' here", role, bone, skeleton.names[size_t(joint)]));
    }
    // What no longer hangs where it did is no match.
    std::vector<std::string> loose;
    for (const RoleFill& fill : roles.fills) {
        const int above = roles.joint(roles.parent_role(fill.role));
        if (above >= 0 && above != fill.joint && !skeleton.is_ancestor(above, fill.joint))
            loose.push_back(fill.role);
    }
    for (const auto& role : loose) {
        reuse.differences.push_back(
            fmt::format("{}: '{}' hangs elsewhere here", role, skeleton.names[size_t(roles.joint(role))]));
        std::erase_if(roles.fills, [&](const RoleFill& fill) { return fill.role == role; });
    }
    const bool lacks = std::any_of(known.bones.begin(), known.bones.end(),
                                   [&](const auto& entry) { return roles.joint(entry.first) < 0; });
    if (lacks) {
        const RoleMap own =
            propose_roles(skeleton, {.ignore_names = false, .plan = known.plan, .skin = {}, .tree = -1});
        for (const auto& [role, bone] : known.bones) {
            if (roles.joint(role) >= 0) continue;
            const RoleFill* fill = own.fill(role);
            if (!fill || !roles.role_of(fill->joint).empty()) {
                reuse.differences.push_back(
                    fmt::format("{}: no bone '{}' here, and none like it", role, bone));
                continue;
            }
            ++reuse.proposed;
            roles.fills.push_back(*fill);
            reuse.differences.push_back(fmt::format("{}: no bone '{}' here; '{}' by evidence", role, bone,
                                                    skeleton.names[size_t(fill->joint)]));
        }
    }
    update_role_lists(skeleton, roles);
    reuse.is_exact = reuse.exact == int(known.bones.size()) && loose.empty();
    return reuse;
}

}  // namespace nb
