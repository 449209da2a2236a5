#include "core/solve/lean.hpp"

#include <algorithm>
#include <cmath>

#include "core/solve/program.hpp"

namespace nb {

namespace {

constexpr double most_lean_rad = pi / 12.0;
constexpr double along_share = 0.3;
constexpr double leans_from = 0.95;

/// What an arm lacks, from its shoulder; zero where it reaches.
Vec3 missing_of(const LeanAsk& ask, const TargetFrame& target) {
    const auto p = [&](int joint) -> const Vec3& { return target.p[size_t(joint)]; };
    const LimbOp& limb = *ask.limb;
    const Vec3 away = ask.to - p(limb.T_start);
    const double upper = (p(limb.T_mid) - p(limb.T_start)).norm();
    double length = upper, free = 1.0;
    if (!ask.is_elbow) {
        length += (p(limb.T_tip) - p(limb.T_mid)).norm();
        free = std::clamp((p(limb.T_tip) - p(limb.T_start)).norm() / length, leans_from, 0.9999);
    }
    const double reach =
        ask.is_elbow ? std::min(away.norm(), length) : soften_beyond(away.norm() / length, free) * length;
    if (away.norm() <= reach) return Vec3::Zero();
    const double clavicle = limb.shoulder.T_clavicle >= 0 ? limb.shoulder.gives : 0.0;
    return (1.0 - clavicle) * (away.norm() - reach) * away.normalized();
}

}  // namespace

void lean_trunk(const Program& program, std::span<const LeanAsk> asks, const SourceFrame& source,
                TargetFrame& target) {
    if (program.spine_joints == 0) return;
    Vec3 lean = Vec3::Zero();
    for (const LeanAsk& ask : asks) {
        if (ask.limb->trunk_gives <= 0.0) continue;
        const Vec3 missing = ask.limb->trunk_gives * missing_of(ask, target);
        if (missing == Vec3::Zero()) continue;
        const Vec3 up = target.p[size_t(ask.limb->T_start)] - target.p[size_t(program.trunk.front())];
        const Vec3 a = up.cross(missing.normalized());
        lean += missing.norm() / (a.squaredNorm() + std::pow(along_share * up.norm(), 2)) * a;
    }
    if (lean.norm() < 1e-9) return;
    const double angle = most_lean_rad * std::tanh(lean.norm() / most_lean_rad);
    const Vec3 axis = lean.normalized();
    for (size_t i = 0; i < program.trunk.size(); ++i) {
        const double share = i < program.spine_joints ? double(i + 1) / double(program.spine_joints) : 1.0;
        turn_joint(target, program.trunk[i], exp_rotation(share * angle * axis));
    }
    follow_anew(program, source, target, false);
}

}  // namespace nb
