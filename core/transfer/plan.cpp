#include "core/transfer/plan.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <tuple>

#include "core/chain/match.hpp"
#include "core/io/file_error.hpp"
#include "core/rest/measures.hpp"

namespace nb {

namespace {

class Compiler {
  public:
    Compiler(const Character& source, const Character& target, const PairingSettings& settings)
        : S_(source), T_(target), settings_(settings) {}

    Plan compile() {
        std::string why;
        for (const Character* c : {&S_, &T_})
            if (!can_be_transferred(c->roles, why))
                throw FileError(c->rig.path, why, "name these bones in a character file");
        plan_.passes = settings_.passes;
        plan_.S_thigh_left = S_.roles.joint("thigh.left");
        plan_.S_thigh_right = S_.roles.joint("thigh.right");
        plan_.T_thigh_left = T_.roles.joint("thigh.left");
        plan_.T_thigh_right = T_.roles.joint("thigh.right");
        plan_.T_hips = T_.roles.joint("hips");
        plan_.S_ankle_m = S_.rest.ankle_height_m;
        plan_.T_ankle_m = T_.rest.ankle_height_m;
        plan_.k = settings_.scale.value_or(leg_length(T_.rig.skeleton, T_.roles) /
                                           leg_length(S_.rig.skeleton, S_.roles));
        const auto& p0 = T_.rest.p_WJ0;
        const Vec3 centre = 0.5 * (p0[size_t(plan_.T_thigh_left)] + p0[size_t(plan_.T_thigh_right)]);
        plan_.T_rest_hip_centre = centre;
        plan_.T_hip_centre =
            T_.rest.R_WJ0[size_t(plan_.T_hips)].conjugate() * Vec3(centre - p0[size_t(plan_.T_hips)]);
        plan_.T_parents = T_.rig.skeleton.parents;
        plan_.T_offsets = T_.rig.skeleton.rest_p;
        plan_.T_aligned_rest = T_.rest.R_WJ0;
        follow_everywhere();
        direct("hips", "hips");
        chains();
        // Roles beside the chains (eyes, jaw; a dog's tail, ears and paws) match by their name.
        for (const RoleFill& fill : T_.roles.fills)
            if (!is_of_chain(fill.role) && fill.role != "hips" && fill.role != "root" &&
                S_.roles.joint(fill.role) >= 0)
                direct(fill.role, fill.role);
        reaches();
        feet();
        twists();
        note_partners();
        return std::move(plan_);
    }

  private:
    const Character& S_;
    const Character& T_;
    const PairingSettings& settings_;
    Plan plan_;

    static bool is_of_chain(const std::string& role) {
        const auto& chains = biped_chains();
        return std::any_of(chains.begin(), chains.end(), [&](const ChainPlan& chain) {
            return std::find(chain.roles.begin(), chain.roles.end(), role) != chain.roles.end();
        });
    }

    void follow_everywhere() {
        const Skeleton& skeleton = T_.rig.skeleton;
        const auto& R0 = T_.rest.R_WJ0;
        plan_.angles.resize(skeleton.names.size());
        for (size_t j = 0; j < plan_.angles.size(); ++j) {
            const bool is_outside = !skeleton.is_ancestor(plan_.T_hips, int(j));
            const int parent = skeleton.parents[j];
            plan_.angles[j].C =
                is_outside || parent < 0 ? skeleton.rest_R[j] : R0[size_t(parent)].conjugate() * R0[j];
        }
    }

    void direct_joints(int source, int target) {
        AngleOp& op = plan_.angles[size_t(target)];
        op.kind = AngleOp::Kind::direct;
        op.a = source;
        op.C = S_.rest.R_WJ0[size_t(source)].conjugate() * T_.rest.R_WJ0[size_t(target)];
    }
    void direct(std::string_view source, std::string_view target) {
        direct_joints(S_.roles.joint(source), T_.roles.joint(target));
    }

    void chains() {
        for (const MatchedChain& chain : match_chains(S_, T_, settings_.chains)) {
            if (chain.is_left_out || chain.samples.empty()) continue;
            for (size_t i = 0; i < chain.T_joints.size(); ++i) {
                const ChainSample& sample = chain.samples[i];
                if (chain.is_limb && sample.a < 0) continue;
                const auto joint_of = [&](int bone) {
                    return bone < 0 ? chain.S_parent : chain.S_joints[size_t(bone)];
                };
                const int a = joint_of(sample.a);
                const int b = joint_of(sample.b);
                if (a < 0 || b < 0) continue;
                direct_joints(a, chain.T_joints[i]);
                if (a == b || sample.u <= 0.0) continue;
                AngleOp& op = plan_.angles[size_t(chain.T_joints[i])];
                op.kind = AngleOp::Kind::blend;
                op.b = b;
                op.u = sample.u;
                op.A0_inverse = S_.rest.R_WJ0[size_t(a)].conjugate();
                op.B0_inverse = S_.rest.R_WJ0[size_t(b)].conjugate();
                op.C = T_.rest.R_WJ0[size_t(chain.T_joints[i])];
            }
        }
    }

    void reaches() {
        for (const auto& [limb, carry] : settings_.carry) {
            if (carry != Carry::limb || settings_.chain(limb).is_left_out) continue;
            const bool is_leg = limb.starts_with("leg");
            const std::string side(side_suffix(role_side(limb)));
            const std::array<std::string, 3> roles =
                is_leg ? std::array<std::string, 3>{"thigh" + side, "shin" + side, "foot" + side}
                       : std::array<std::string, 3>{"upperarm" + side, "forearm" + side, "hand" + side};
            ReachOp op;
            op.limb = limb;
            op.share = std::clamp(settings_.chain(limb).tip_share.value_or(1.0), 0.0, 1.0);
            op.soften_from =
                std::clamp(settings_.chain(limb).soften_from.value_or(usual_soften_from), 0.5, 0.9999);
            std::array<int, 3> S{};
            std::array<int, 3> T{};
            for (size_t i = 0; i < 3; ++i) {
                S[i] = S_.roles.joint(roles[i]);
                T[i] = T_.roles.joint(roles[i]);
            }
            if (*std::min_element(S.begin(), S.end()) < 0 || *std::min_element(T.begin(), T.end()) < 0)
                continue;
            std::tie(op.S_start, op.S_mid, op.S_tip) = std::tuple{S[0], S[1], S[2]};
            std::tie(op.T_start, op.T_mid, op.T_tip) = std::tuple{T[0], T[1], T[2]};
            op.S_hinge = is_leg ? op.S_mid : op.S_start;
            op.S_hinge0_inverse = S_.rest.R_WJ0[size_t(op.S_hinge)].conjugate();
            op.n0 = S_.rest.hinges.at(limb).n_W;
            op.scale = is_leg ? leg_length(T_.rig.skeleton, T_.roles) / leg_length(S_.rig.skeleton, S_.roles)
                              : arm_length(T_.rig.skeleton, T_.roles) / arm_length(S_.rig.skeleton, S_.roles);
            if (is_leg && settings_.scale) op.scale = *settings_.scale;
            const auto length = [](const Character& c, int start, int mid, int tip) {
                return c.rig.skeleton.path_length(start, mid) + c.rig.skeleton.path_length(mid, tip);
            };
            op.S_length_m = length(S_, op.S_start, op.S_mid, op.S_tip);
            op.T_length_m = length(T_, op.T_start, op.T_mid, op.T_tip);
            if (op.S_length_m > 1e-6 && op.T_length_m > 1e-6) plan_.reaches.push_back(op);
        }
    }

    void feet() {
        plan_.T_stature_m = stature(T_.rig.skeleton, T_.roles);
        if (S_.roles.is_four_legged()) return;
        const auto soles = soles_of(T_);
        const auto S_soles = soles_of(S_);
        plan_.S_stature_m = stature(S_.rig.skeleton, S_.roles);
        for (size_t side = 0; side < 2; ++side) {
            if (!soles[side] || !S_soles[side]) continue;
            plan_.feet[side].sole = *soles[side];
            plan_.feet[side].S_sole = *S_soles[side];
            for (size_t i = 0; i < plan_.reaches.size(); ++i)
                if (plan_.reaches[i].T_tip == soles[side]->ankle) {
                    plan_.feet[side].reach = int(i);
                    plan_.reaches[i].foot = int(side);
                }
        }
    }

    /// Upper arm and thigh let go of their roll toward the body; forearm and shin take on that of hand and
    /// foot.
    void twists() {
        const auto& R0 = T_.rest.R_WJ0;
        for (const TwistBone& twist : T_.roles.twists) {
            const std::string part = role_part(twist.role);
            const bool is_lower = part == "forearm" || part == "shin";
            if (!is_lower && part != "upperarm" && part != "thigh") continue;
            const size_t j = size_t(twist.joint);
            TwistOp op;
            op.joint = twist.joint;
            op.bone = T_.roles.joint(twist.role);
            op.above = T_.roles.joint(T_.roles.parent_role(twist.role));
            const std::string side(side_suffix(role_side(twist.role)));
            op.below = is_lower ? T_.roles.joint((part == "shin" ? "foot" : "hand") + side) : -1;
            op.share = std::clamp(twist.share, 0.0, 1.0);
            Vec3 end;
            const Pose rest{T_.rest.R_WJ0, T_.rest.p_WJ0};
            if (op.bone < 0 || op.above < 0 || plan_.angles[j].kind != AngleOp::Kind::follow ||
                plan_.angles[size_t(op.bone)].kind == AngleOp::Kind::follow ||
                !find_bone_end(T_.rig.skeleton, T_.roles, twist.role, rest, end))
                continue;
            op.axis0 = (end - rest.p[size_t(op.bone)]).normalized();
            op.above0_inverse = R0[size_t(op.above)].conjugate();
            op.bone0_inverse = R0[size_t(op.bone)].conjugate();
            op.below0_inverse = op.below < 0 ? Quat::Identity() : Quat(R0[size_t(op.below)].conjugate());
            op.joint0 = R0[j];
            plan_.angles[j].kind = AngleOp::Kind::twist;
            plan_.twists.push_back(op);
        }
    }

    static bool is_finger(const std::string& role) {
        const std::string part = role_part(role);
        return part == "thumb" || part == "index" || part == "middle" || part == "ring" || part == "little";
    }

    /// One line a role, and one for all fingers of a hand.
    void note_partners() {
        std::set<std::string> told;
        const auto tell = [&](const Character& who, const RoleFill& fill, const std::string& what) {
            const std::string side(side_suffix(role_side(fill.role)));
            const std::string name = is_finger(fill.role) ? role_part(fill.role) + side : fill.role;
            if (!told.insert(name).second) return;
            plan_.partners.push_back({who.name, name, what});
            plan_.notes.push_back(fmt::format("{} has no {}: {}", who.name, name, what));
        };
        for (const RoleFill& fill : S_.roles.fills) {
            const ChainPlan* run = nullptr;
            for (const ChainPlan& chain : biped_chains())
                if (!chain.is_limb &&
                    std::find(chain.roles.begin(), chain.roles.end(), fill.role) != chain.roles.end())
                    run = &chain;
            if (T_.roles.joint(fill.role) >= 0 || fill.role == "root" ||
                (run && !T_.roles.chain(*run).empty()))
                continue;
            tell(T_, fill, "its motion goes on to what follows");
        }
        for (const RoleFill& fill : T_.roles.fills)
            if (plan_.angles[size_t(fill.joint)].kind == AngleOp::Kind::follow && fill.role != "root")
                tell(S_, fill,
                     is_finger(fill.role)
                         ? "it follows the hand at rest"
                         : T_.rig.skeleton.names[size_t(fill.joint)] + " follows its parent at rest");
    }
};

}  // namespace

Plan compile_plan(const Character& source, const Character& target, const PairingSettings& settings) {
    return Compiler(source, target, settings).compile();
}

}  // namespace nb
