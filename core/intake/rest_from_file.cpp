#include "core/intake/rest_from_file.hpp"

#include <filesystem>

#include "core/base/fault.hpp"
#include "core/intake/load.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rest/edit.hpp"
#include "core/rest/solve.hpp"

namespace nb {

RestAlignment rest_from_file(const std::string& path, const Character& character) {
    const RestAlignment& solved = character.solved;
    const LoadedFile other = load_file(path);
    std::string why;
    if (!can_be_transferred(other.character.roles, why))
        throw FileError(path, why, "give a file of a body whose hips and legs are found");
    const Rig& rig = other.character.rig;
    const RoleMap& roles = other.character.roles;
    const Pose pose = other.take ? pose_at(rig.skeleton, *other.take, 0) : rest_pose(rig.skeleton);
    const RestAlignment stands = rest_of_pose(rig, roles, pose, other.character.rest);
    RestAlignment rest = solved;
    copy_stance(character.rig.skeleton, character.roles, rest, solved, roles, stands, other.character.rest,
                roles_in_order(character.roles));
    rest.stance.kind = Stance::Kind::own;
    rest.name = std::filesystem::path(path).stem().string();
    return rest;
}

}  // namespace nb
