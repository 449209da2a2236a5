#include "core/solve/bone_rules.hpp"

#include <fmt/format.h>

#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

namespace {

constexpr double has_length_m = 1e-3;

/// A bone by its role, else by its name; -1 for none.
int named_bone(const Character& body, const std::string& name) {
    if (const int joint = body.roles.joint(name); joint >= 0) return joint;
    return body.rig.skeleton.find(name);
}

class RuleCompiler {
  public:
    RuleCompiler(const PairedBodies& bodies, Program& program) : bodies_(bodies), program_(program) {}

    /// Why it does nothing; empty when it does.
    std::string add(const std::string& bone, const BoneRule& rule) {
        const int joint = named_bone(bodies_.T, bone);
        if (joint < 0) return fmt::format("{} has no bone {}", bodies_.T.name, bone);
        const int above = program_.body.parents[size_t(joint)];
        if (above < 0 || joint == program_.body.top || joint == program_.body.hips)
            return fmt::format("{} moves the whole body", bone);
        AngleOp& op = program_.angles[size_t(joint)];
        int S_joint = op.kind == AngleOp::Kind::direct ? op.a : -1;
        if (!rule.follows.empty()) {
            S_joint = bodies_.S.rig.skeleton.find(rule.follows);
            if (S_joint < 0) return fmt::format("{} has no bone {}", bodies_.S.name, rule.follows);
            if (bodies_.S.rig.skeleton.parents[size_t(S_joint)] < 0)
                return fmt::format("{} hangs on no bone", rule.follows);
            turn_with_source(op, S_joint, joint, above);
        }
        if (rule.position == BonePosition::kept) return {};
        if (S_joint < 0) return fmt::format("no single bone of {} drives {}", bodies_.S.name, bone);
        place_with_source(rule.position, S_joint, joint, above);
        return {};
    }

  private:
    const PairedBodies& bodies_;
    Program& program_;

    int above_in_source(int joint) const { return bodies_.S.rig.skeleton.parents[size_t(joint)]; }

    void turn_with_source(AngleOp& op, int S_joint, int joint, int above) const {
        const int S_above = above_in_source(S_joint);
        op = AngleOp();
        op.kind = AngleOp::Kind::with;
        op.a = S_joint;
        op.S_above = S_above;
        op.A0_inverse = bodies_.T_R0[size_t(above)].conjugate() * bodies_.S_R0[size_t(S_above)];
        op.C = bodies_.S_R0[size_t(S_joint)].conjugate() * bodies_.T_R0[size_t(joint)];
    }

    void place_with_source(BonePosition position, int S_joint, int joint, int above) {
        const int S_above = above_in_source(S_joint);
        if (S_above < 0) return;
        const Quat& S_above0 = bodies_.S_R0[size_t(S_above)];
        const Quat& T_above0 = bodies_.T_R0[size_t(above)];
        const Vec3 o_S0 = S_above0 * bodies_.S.rig.skeleton.rest_p[size_t(S_joint)];
        const Vec3 o_T0 = T_above0 * program_.body.offsets[size_t(joint)];
        PlacedBone placed{S_joint, S_above, 1.0, Vec3::Zero(), S_above0, T_above0.conjugate()};
        if (position == BonePosition::scaled) {
            const bool has_lengths = o_S0.norm() > has_length_m && o_T0.norm() > has_length_m;
            placed.by_source = has_lengths ? o_T0.norm() / o_S0.norm() : program_.map.k;
            placed.at_rest = o_T0 - placed.by_source * o_S0;
        }
        if (program_.placed_of.empty()) program_.placed_of.assign(program_.angles.size(), -1);
        program_.placed_of[size_t(joint)] = int(program_.placed.size());
        program_.placed.push_back(placed);
    }
};

}  // namespace

void compile_bone_rules(const PairedBodies& bodies, Program& program, std::vector<std::string>& notes) {
    RuleCompiler compiler(bodies, program);
    for (const auto& [bone, rule] : bodies.settings.bones)
        if (const std::string why = compiler.add(bone, rule); !why.empty())
            notes.push_back(fmt::format("the rule of {} does nothing: {}", bone, why));
}

Quat turn_with(const Program& program, const SourceFrame& source, size_t joint) {
    const AngleOp& op = program.angles[joint];
    return op.A0_inverse * (source.R[size_t(op.S_above)].conjugate() * source.R[size_t(op.a)]) * op.C;
}

Vec3 offset_now(const Program& program, const SourceFrame& source, size_t joint) {
    if (program.placed_of.empty() || program.placed_of[joint] < 0)
        return length_factor(program, source, joint) * program.body.offsets[joint];
    const PlacedBone& placed = program.placed[size_t(program.placed_of[joint])];
    const Vec3 o_S =
        placed.S_above0 * (source.R[size_t(placed.S_above)].conjugate() *
                           Vec3(source.p[size_t(placed.S_joint)] - source.p[size_t(placed.S_above)]));
    return placed.T_above0_inverse * Vec3(placed.at_rest + placed.by_source * o_S);
}

}  // namespace nb
