#include "core/rest/character.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/rest/solve.hpp"

namespace nb {

bool can_be_transferred(const RoleMap& roles, std::string& why) {
    std::vector<std::string> missing;
    // Legs may be of one bone; one that is begun has all of its three.
    for (const auto* role : {"hips", "thigh.left", "thigh.right"})
        if (roles.joint(role) < 0) missing.emplace_back(role);
    for (const std::string side : {".left", ".right"})
        if (roles.joint("shin.left") >= 0 || roles.joint("shin.right") >= 0 ||
            roles.joint("foot.left") >= 0 || roles.joint("foot.right") >= 0)
            for (const auto* part : {"shin", "foot"})
                if (roles.joint(part + side) < 0) missing.push_back(part + side);
    why = fmt::format("no bone for {}", fmt::join(missing, ", "));
    return missing.empty();
}

void align_to_t(Character& character, const Take* take) {
    character.solved =
        solve_rest(character.rig, character.roles, {take, character.rig.options.reference, {}});
    character.rest = character.solved;
    character.other_rests.clear();
}

int mirrored_joint(const Character& character, int joint) {
    const Skeleton& skeleton = character.rig.skeleton;
    if (joint < 0 || joint >= skeleton.size()) return -1;
    const std::vector<Vec3> places =
        character.rest.p_WJ0.empty() ? rest_pose(skeleton).p : character.rest.p_WJ0;
    double tall = 0.0;
    for (const Vec3& p : places) tall = std::max(tall, (p - places[0]).norm());
    const Vec3 wanted =
        Vec3(-places[size_t(joint)].x(), places[size_t(joint)].y(), places[size_t(joint)].z());
    if (std::abs(wanted.x()) < 0.01 * tall) return -1;
    const auto depth = [&](int j) {
        int steps = 0;
        for (; j >= 0; j = skeleton.parents[size_t(j)]) ++steps;
        return steps;
    };
    int best = -1;
    double least = 0.04 * tall;
    for (int j = 0; j < skeleton.size(); ++j) {
        // Bones that lie in one place are told apart by how deep they hang.
        const double off =
            (places[size_t(j)] - wanted).norm() + 0.005 * tall * std::abs(depth(j) - depth(joint));
        if (j == joint || off >= least) continue;
        least = off;
        best = j;
    }
    return best;
}

void give_role(const Skeleton& skeleton, RoleMap& roles, const std::string& role, int joint) {
    std::erase_if(roles.fills,
                  [&](const RoleFill& fill) { return fill.role == role || fill.joint == joint; });
    if (joint >= 0) roles.fills.push_back({role, joint, 1.0, {"given by hand"}, true});
    update_role_lists(skeleton, roles);
}

}  // namespace nb
