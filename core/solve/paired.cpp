#include "core/solve/paired.hpp"

#include "core/base/fault.hpp"
#include "core/body/carried.hpp"
#include "core/body/measures.hpp"

namespace nb {

namespace {

/// A character that can be carried, or the reason why not.
const Character& checked(const Character& character) {
    std::string why;
    if (!can_be_transferred(character.roles, why))
        throw FileError(character.rig.path, why, "name these bones in a character file");
    return character;
}

}  // namespace

PairedBodies::PairedBodies(const Character& source, const Character& target,
                           const PairingSettings& pair_settings, const std::string& take_key)
    : S(checked(source)),
      T(checked(target)),
      T_tree(carried_skeleton(target.rig.skeleton, target.roles)),
      settings(pair_settings),
      chains(chains_in_force(target, pair_settings, take_key)),
      S_R0(source.rest.R_WJ0),
      T_R0(target.rest.R_WJ0),
      matched(match_chains(source, target, chains)) {
    if (S.roles.is_four_legged() == T.roles.is_four_legged()) return;
    // Between two and four legs arms that hang are as fore legs that stand.
    const bool is_source = T.roles.is_four_legged();
    const Character& biped = is_source ? S : T;
    for (const Side side : {Side::left, Side::right}) {
        const Quat down = exp_rotation((side == Side::left ? -0.5 : 0.5) * pi * Vec3::UnitZ());
        const int arm = biped.roles.joint("upperarm" + std::string(side_suffix(side)));
        auto& R0 = is_source ? S_R0 : T_R0;
        for (int j = arm; arm >= 0 && j < biped.rig.skeleton.size(); ++j)
            if (biped.rig.skeleton.is_ancestor(arm, j)) R0[size_t(j)] = down * R0[size_t(j)];
    }
}

int PairedBodies::gathered(int joint) const {
    const int last = gathered_joint(S.rig.skeleton, S.roles, S.roles.role_of(joint));
    return last == joint ? -1 : last;
}

Vec3 end_of_run(const Character& character, int last_joint) {
    Vec3 end;
    if (!find_bone_end(character.rig.skeleton, character.roles, character.roles.role_of(last_joint),
                       aligned_pose(character.rest), end))
        return Vec3::Zero();
    return character.rest.R_WJ0[size_t(last_joint)].conjugate() *
           Vec3(end - character.rest.p_WJ0[size_t(last_joint)]);
}

}  // namespace nb
