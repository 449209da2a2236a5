#include "core/solve/plan.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <tuple>

#include "core/base/fault.hpp"
#include "core/body/carried.hpp"
#include "core/body/measures.hpp"
#include "core/chain/match.hpp"

namespace nb {

namespace {

class Compiler {
  public:
    Compiler(const Character& source, const Character& target, const PairingSettings& settings,
             const std::string& take_key)
        : S_(source),
          T_(target),
          T_tree_(carried_skeleton(target.rig.skeleton, target.roles)),
          settings_(settings) {
        plan_.chains = chains_in_force(target, settings, take_key);
        S_R0_ = S_.rest.R_WJ0;
        T_R0_ = T_.rest.R_WJ0;
        if (S_.roles.is_four_legged() == T_.roles.is_four_legged()) return;
        // Between two and four legs arms that hang are as fore legs that stand.
        const bool is_source = T_.roles.is_four_legged();
        const Character& biped = is_source ? S_ : T_;
        for (const Side side : {Side::left, Side::right}) {
            const Quat down = exp_rotation((side == Side::left ? -0.5 : 0.5) * pi * Vec3::UnitZ());
            const int arm = biped.roles.joint("upperarm" + std::string(side_suffix(side)));
            auto& R0 = is_source ? S_R0_ : T_R0_;
            for (int j = arm; arm >= 0 && j < biped.rig.skeleton.size(); ++j)
                if (biped.rig.skeleton.is_ancestor(arm, j)) R0[size_t(j)] = down * R0[size_t(j)];
        }
    }

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
        plan_.T_top = body_top(T_tree_, T_.roles);
        plan_.T_lines = {plan_.T_thigh_left, plan_.T_thigh_right, T_.roles.joint("upperarm.left"),
                         T_.roles.joint("upperarm.right")};
        if (const int root = T_.roles.joint("root"); settings_.has_root_track && root >= 0 &&
                                                     T_tree_.is_ancestor(root, plan_.T_top) &&
                                                     root != plan_.T_top)
            plan_.T_root = root;
        plan_.S_ankle_m = S_.rest.ankle_height_m;
        plan_.T_ankle_m = T_.rest.ankle_height_m;
        const double T_leg = leg_length(T_tree_, T_.roles);
        const double S_leg = leg_length(S_.rig.skeleton, S_.roles);
        plan_.k = settings_.scale.value_or(T_leg > 0.0 && S_leg > 0.0 ? T_leg / S_leg : 1.0);
        const auto& p0 = T_.rest.p_WJ0;
        const Vec3 centre = 0.5 * (p0[size_t(plan_.T_thigh_left)] + p0[size_t(plan_.T_thigh_right)]);
        plan_.T_rest_hip_centre = centre;
        plan_.T_hip_centre =
            T_.rest.R_WJ0[size_t(plan_.T_hips)].conjugate() * Vec3(centre - p0[size_t(plan_.T_hips)]);
        plan_.T_parents = T_tree_.parents;
        plan_.T_offsets = T_tree_.rest_p;
        if (plan_.T_top != plan_.T_hips)
            for (int j = 0; j < T_tree_.size(); ++j)
                if (T_tree_.is_ancestor(plan_.T_top, j)) plan_.T_body.push_back(j);
        plan_.T_own_places = {plan_.T_top};
        for (const Carried& c : find_carried(T_.rig.skeleton, T_.roles))
            plan_.T_own_places.push_back(c.joint);
        plan_.T_aligned_rest = T_R0_;
        follow_everywhere();
        direct("hips", "hips");
        matched_ = match_chains(S_, T_, plan_.chains);
        chains();
        // Roles beside the chains (eyes, jaw; a dog's tail, ears and paws) match by their name.
        for (const RoleFill& fill : T_.roles.fills)
            if (!is_of_chain(fill.role) && fill.role != "hips" && fill.role != "root" &&
                S_.roles.joint(fill.role) >= 0)
                direct(fill.role, fill.role);
        limbs();
        runs();
        ends();
        gives();
        twists();
        note_partners();
        return std::move(plan_);
    }

  private:
    const Character& S_;
    const Character& T_;
    const Skeleton T_tree_;  ///< as the target's body is carried
    const PairingSettings& settings_;
    Plan plan_;
    std::vector<MatchedChain> matched_;
    std::vector<Quat> S_R0_, T_R0_;  ///< the rests that are as one another

    bool is_of_chain(const std::string& role) const {
        return body_plan(T_.roles.plan).chain_of(role) != nullptr;
    }
    const ChainSettings& set(const std::string& chain) const { return settings_of(plan_.chains, chain); }

    /// The source joint that has the whole roll of a role's bone, when that is another one; -1 else.
    int gathered(int joint) const {
        const int last = gathered_joint(S_.rig.skeleton, S_.roles, S_.roles.role_of(joint));
        return last == joint ? -1 : last;
    }

    void follow_everywhere() {
        const Skeleton& skeleton = T_tree_;
        const auto& R0 = T_R0_;
        plan_.angles.resize(skeleton.names.size());
        for (size_t j = 0; j < plan_.angles.size(); ++j) {
            const bool is_outside = !skeleton.is_ancestor(plan_.T_top, int(j));
            const int parent = skeleton.parents[j];
            plan_.angles[j].C =
                is_outside || parent < 0 ? skeleton.rest_R[j] : R0[size_t(parent)].conjugate() * R0[j];
        }
    }

    void direct_joints(int source, int target) {
        AngleOp& op = plan_.angles[size_t(target)];
        op.kind = AngleOp::Kind::direct;
        op.a = source;
        op.C = S_R0_[size_t(source)].conjugate() * T_R0_[size_t(target)];
        op.gathered = gathered(source);
        if (op.gathered >= 0) op.gathered_C = S_R0_[size_t(op.gathered)].conjugate() * T_R0_[size_t(target)];
    }
    void direct(std::string_view source, std::string_view target) {
        direct_joints(S_.roles.joint(source), T_.roles.joint(target));
    }

    void chains() {
        for (const MatchedChain& chain : matched_) {
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
                op.A0_inverse = S_R0_[size_t(a)].conjugate();
                op.B0_inverse = S_R0_[size_t(b)].conjugate();
                op.C = T_R0_[size_t(chain.T_joints[i])];
            }
        }
    }

    /// The roles of a limb's start, middle and tip; of two bodies on four legs the hock comes before the tip.
    void limbs() {
        const bool has_hock = S_.roles.is_four_legged() && T_.roles.is_four_legged();
        for (size_t i = 0; i < limb_count; ++i) {
            const std::string limb = limb_names[i];
            const ChainSettings& own = set(limb);
            if (own.is_left_out.value_or(false)) continue;
            const bool is_leg = i < 2;
            const std::string side(side_suffix(role_side(limb)));
            std::vector<std::string> roles =
                is_leg ? std::vector<std::string>{"thigh" + side, "shin" + side, "foot" + side}
                       : std::vector<std::string>{"upperarm" + side, "forearm" + side, "hand" + side};
            ReachOp op;
            op.limb = i;
            const std::string tip = (is_leg ? "toe" : "paw") + side;
            if (has_hock && S_.roles.joint(tip) >= 0 && T_.roles.joint(tip) >= 0) {
                op.T_hock = T_.roles.joint(roles.back());
                roles.back() = tip;
            }
            std::array<int, 3> S{};
            std::array<int, 3> T{};
            for (size_t r = 0; r < 3; ++r) {
                S[r] = S_.roles.joint(roles[r]);
                T[r] = T_.roles.joint(roles[r]);
            }
            if (*std::min_element(S.begin(), S.end()) < 0 || *std::min_element(T.begin(), T.end()) < 0)
                continue;
            std::tie(op.S_start, op.S_mid, op.S_tip) = std::tuple{S[0], S[1], S[2]};
            std::tie(op.T_start, op.T_mid, op.T_tip) = std::tuple{T[0], T[1], T[2]};
            op.S_hinge_plain = is_leg ? op.S_mid : op.S_start;
            op.S_hinge = !is_leg && gathered(op.S_start) >= 0 ? gathered(op.S_start) : op.S_hinge_plain;
            op.S_hinge0_inverse = S_R0_[size_t(op.S_hinge)].conjugate();
            op.S_hinge_plain0_inverse = S_R0_[size_t(op.S_hinge_plain)].conjugate();
            const auto hinge = S_.rest.hinges.find(limb);
            if (hinge == S_.rest.hinges.end()) continue;
            // The hinge goes with the rest its rotation is counted from.
            op.n0 =
                S_R0_[size_t(op.S_start)] * S_.rest.R_WJ0[size_t(op.S_start)].conjugate() * hinge->second.n_W;
            if (op.T_hock >= 0) {
                // Seen from mid to paw the limb may bend the other way than its own hinge.
                const auto& p0 = T_.rest.p_WJ0;
                const Vec3 upper = p0[size_t(op.T_mid)] - p0[size_t(op.T_start)];
                const Vec3 lower = p0[size_t(op.T_tip)] - p0[size_t(op.T_mid)];
                if (op.n0.dot(upper.cross(lower)) < 0.0) op.n0 = -op.n0;
            }
            op.scale = is_leg ? leg_length(T_tree_, T_.roles) / leg_length(S_.rig.skeleton, S_.roles)
                              : arm_length(T_tree_, T_.roles) / arm_length(S_.rig.skeleton, S_.roles);
            // What stands goes as far as the body travels.
            if ((is_leg && settings_.scale) || (has_hock && !is_leg)) op.scale = plan_.k;
            if (length_of(T_, op.T_start, op.T_tip) < 1e-6 || length_of(S_, op.S_start, op.S_tip) < 1e-6)
                continue;
            if (is_leg || T_.roles.is_four_legged()) {
                op.S_over_m = S_.rest.p_WJ0[size_t(op.S_tip)].y();
                op.T_over_m = T_.rest.p_WJ0[size_t(op.T_tip)].y();
            }
            const Carry carry = own.carry.value_or(Carry::angles);
            op.is_placed = carry == Carry::place;
            op.share = carry == Carry::angles ? 0.0 : own.tip_share.value_or(1.0);
            op.soften_from = std::min(own.soften_from.value_or(usual_soften_from), 0.9999);
            op.pole_rad = own.pole_rad.value_or(0.0);
            op.side_sign = role_side(limb) == Side::left ? 1.0 : -1.0;
            if (!is_leg) {
                op.T_clavicle = T_.roles.joint("clavicle" + side);
                op.clavicle_gives = own.start_gives.value_or(usual_clavicle_gives);
                op.shoulder_share = own.shoulder_share.value_or(0.0);
                op.T_chest = T_.roles.joint(
                    T_.roles.parent_role(op.T_clavicle >= 0 ? "clavicle" + side : "upperarm" + side));
                if (op.T_chest >= 0) op.T_chest0_inverse = T_R0_[size_t(op.T_chest)].conjugate();
            }
            plan_.reaches.push_back(op);
        }
    }

    static double length_of(const Character& c, int from, int to) {
        return c.rig.skeleton.path_length(from, to);
    }

    /// Where a run ends: its last bone's far end, else its last joint. In that joint's frame.
    static Vec3 end_of_run(const Character& c, int last) {
        Vec3 end;
        if (!find_bone_end(c.rig.skeleton, c.roles, c.roles.role_of(last), aligned_pose(c.rest), end))
            return Vec3::Zero();
        return c.rest.R_WJ0[size_t(last)].conjugate() * Vec3(end - c.rest.p_WJ0[size_t(last)]);
    }

    /// Other chains that are carried by their tip.
    void runs() {
        for (const MatchedChain& chain : matched_) {
            const ChainSettings& own = set(chain.name);
            if (chain.is_limb || chain.is_left_out || own.carry.value_or(Carry::angles) == Carry::angles ||
                chain.S_joints.size() < 2 || chain.T_joints.size() < 2)
                continue;
            RunReachOp op;
            op.T_joints = chain.T_joints;
            op.T_end_J = end_of_run(T_, chain.T_joints.back());
            op.S_first = chain.S_joints.front();
            op.S_last = chain.S_joints.back();
            op.S_end_J = end_of_run(S_, op.S_last);
            op.T_length_m = length_of(T_, op.T_joints.front(), op.T_joints.back()) + op.T_end_J.norm();
            op.S_length_m = length_of(S_, op.S_first, op.S_last) + op.S_end_J.norm();
            if (op.S_length_m < 1e-6 || op.T_length_m < 1e-6) continue;
            op.scale = op.T_length_m / op.S_length_m;
            op.is_placed = own.carry == Carry::place;
            op.share = own.tip_share.value_or(1.0);
            op.soften_from = std::min(own.soften_from.value_or(usual_soften_from), 0.9999);
            plan_.run_reaches.push_back(std::move(op));
        }
    }

    /// What can be held: the ends of limbs that both bodies have in the same kind.
    void ends() {
        plan_.T_stature_m = stature(T_tree_, T_.roles);
        plan_.S_stature_m = stature(S_.rig.skeleton, S_.roles);
        const Soles soles = soles_of(T_);
        const Soles S_soles = soles_of(S_);
        for (size_t i = 0; i < limb_count; ++i) {
            if (!soles[i] || !S_soles[i] || soles[i]->end != S_soles[i]->end) continue;
            EndOp& end = plan_.ends[i];
            end.sole = *soles[i];
            end.S_sole = *S_soles[i];
            for (size_t r = 0; r < plan_.reaches.size(); ++r)
                if (plan_.reaches[r].limb == i && plan_.reaches[r].T_tip == end.sole.ankle)
                    end.reach = int(r);
            if (end.reach < 0) continue;
            end.base = plan_.reaches[size_t(end.reach)].T_start;
            for (int j = end.base; j >= 0 && j != plan_.T_hips; j = T_tree_.parents[size_t(j)])
                if (plan_.angles[size_t(j)].kind != AngleOp::Kind::follow) end.base = j;
            end.hips_give =
                i < 2 || T_.roles.is_four_legged() ? set(limb_names[i]).start_gives.value_or(1.0) : 0.0;
        }
    }

    /// Bones whose length follows the source's.
    void gives() {
        plan_.length_of.assign(T_tree_.names.size(), -1);
        for (const MatchedChain& chain : matched_) {
            const double share = set(chain.name).length_share.value_or(0.0);
            if (share <= 0.0 || chain.is_left_out || chain.samples.empty()) continue;
            const bool is_even = chain.S_joints.size() == chain.T_joints.size();
            for (size_t t = 0; t + 1 < chain.T_joints.size(); ++t) {
                LengthOp op;
                op.share = share;
                const int s = chain.samples[t].a;
                if (chain.is_limb || is_even) {
                    if (s < 0 || size_t(s) + 1 >= chain.S_joints.size()) continue;
                    op.S_joints = {chain.S_joints[size_t(s)], chain.S_joints[size_t(s) + 1]};
                } else {
                    op.S_joints = chain.S_joints;
                }
                const auto& p0 = S_.rest.p_WJ0;
                for (size_t i = 1; i < op.S_joints.size(); ++i)
                    op.S_rest_m += (p0[size_t(op.S_joints[i])] - p0[size_t(op.S_joints[i - 1])]).norm();
                if (op.S_rest_m < 1e-6) continue;
                for (int j = chain.T_joints[t + 1]; j >= 0 && j != chain.T_joints[t];
                     j = T_tree_.parents[size_t(j)])
                    plan_.length_of[size_t(j)] = int(plan_.lengths.size());
                plan_.lengths.push_back(std::move(op));
            }
        }
        if (plan_.lengths.empty()) plan_.length_of.clear();
    }

    /// Upper arm and thigh let go of their roll toward the body; forearm and shin take on that of hand and
    /// foot.
    void twists() {
        const auto& R0 = T_R0_;
        for (const TwistBone& twist : T_.roles.twists) {
            const std::string part = role_part(twist.role);
            const bool is_lower = part == "forearm" || part == "shin";
            if (!is_lower && part != "upperarm" && part != "thigh") continue;
            const size_t j = size_t(twist.joint);
            TwistOp op;
            op.role = twist.role;
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
                !find_bone_end(T_tree_, T_.roles, twist.role, rest, end))
                continue;
            op.axis0 = R0[size_t(op.bone)] * rest.R[size_t(op.bone)].conjugate() *
                       (end - rest.p[size_t(op.bone)]).normalized();
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

    static bool has_fingers(const Character& who, Side side) {
        return std::any_of(who.roles.fills.begin(), who.roles.fills.end(), [&](const RoleFill& fill) {
            return is_finger(fill.role) && role_side(fill.role) == side;
        });
    }

    /// True when a role of the target takes up what a missing one of that chain turns by: one further out, or
    /// a finger of a missing hand. `chain`: none for an eye or a jaw.
    bool is_followed(const std::string& role, const ChainPlan* chain) const {
        if (role_part(role) == "hand") return has_fingers(T_, role_side(role));
        if (!chain) return false;
        const auto at = std::find(chain->roles.begin(), chain->roles.end(), role);
        const bool goes_on = std::any_of(at, chain->roles.end(),
                                         [&](const std::string& next) { return T_.roles.joint(next) >= 0; });
        return goes_on || chain->name == "spine" || chain->name == "neck";
    }

    /// One entry a role, one for all links of a finger, one for the fingers of a hand without any.
    void note_partners() {
        std::set<std::string> told;
        const auto tell = [&](const Character& who, const RoleFill& fill, const std::string& what) {
            const Side side = role_side(fill.role);
            std::string name = fill.role;
            if (is_finger(fill.role))
                name = (has_fingers(who, side) ? role_part(fill.role) : "fingers") +
                       std::string(side_suffix(side));
            if (told.insert(name).second) plan_.partners.push_back({who.name, name, what});
        };
        for (const RoleFill& fill : S_.roles.fills) {
            const ChainPlan* chain = body_plan(S_.roles.plan).chain_of(fill.role);
            const bool is_in_run = chain && !chain->is_limb && !T_.roles.chain(*chain).empty();
            if (T_.roles.joint(fill.role) >= 0 || fill.role == "root" || is_in_run) continue;
            tell(T_, fill,
                 is_followed(fill.role, chain) ? "its motion goes on to what follows"
                                               : "nothing follows it, so its motion is lost");
        }
        for (const RoleFill& fill : T_.roles.fills)
            if (plan_.angles[size_t(fill.joint)].kind == AngleOp::Kind::follow && fill.role != "root")
                tell(S_, fill,
                     is_finger(fill.role)
                         ? "at rest on the hand"
                         : T_tree_.names[size_t(fill.joint)] + " follows its parent at rest");
        for (const std::string& line : partner_lines(plan_.partners)) plan_.notes.push_back(line);
    }
};

}  // namespace

std::vector<std::string> partner_lines(const std::vector<MissingPartner>& partners) {
    std::vector<std::pair<const MissingPartner*, std::vector<std::string>>> lacks;
    for (const MissingPartner& partner : partners) {
        auto like = std::find_if(lacks.begin(), lacks.end(), [&](const auto& lack) {
            return lack.first->who == partner.who && lack.first->means == partner.means;
        });
        if (like == lacks.end()) like = lacks.insert(like, {&partner, {}});
        // Left and right together.
        const std::string part = role_part(partner.role);
        const std::string other =
            part + std::string(side_suffix(role_side(partner.role) == Side::left ? Side::right : Side::left));
        const auto twin = std::find(like->second.begin(), like->second.end(), other);
        if (role_side(partner.role) != Side::none && twin != like->second.end())
            *twin = part + " on either side";
        else
            like->second.push_back(partner.role);
    }
    std::vector<std::string> lines;
    lines.reserve(lacks.size());
    for (const auto& [partner, roles] : lacks)
        lines.push_back(
            fmt::format("{} has no {}: {}", partner->who, fmt::join(roles, ", "), partner->means));
    return lines;
}

Plan compile_plan(const Character& source, const Character& target, const PairingSettings& settings,
                  const std::string& take_key) {
    return Compiler(source, target, settings, take_key).compile();
}

}  // namespace nb
