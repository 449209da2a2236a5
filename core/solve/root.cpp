#include "core/solve/root.hpp"

#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

void compile_root(const PairedBodies& bodies, Program& program) {
    RootOp& op = program.root;
    op.S_thigh_left = bodies.S.roles.joint("thigh.left");
    op.S_thigh_right = bodies.S.roles.joint("thigh.right");
    op.S_ankle_m = bodies.S.rest.ankle_height_m;
    op.T_ankle_m = bodies.T.rest.ankle_height_m;
    const CarriedBody& body = program.body;
    const auto& p0 = bodies.T.rest.p_WJ0;
    const Vec3 centre = hip_centre(p0, body.lines);
    op.T_rest_hip_centre = centre;
    op.T_hip_centre =
        bodies.T.rest.R_WJ0[size_t(body.hips)].conjugate() * Vec3(centre - p0[size_t(body.hips)]);
}

void pass_root(const Program& program, const SourceFrame& source, TargetFrame& target,
               const FrameCorrection* held) {
    Vec3 centre = program.root.T_rest_hip_centre;
    if (program.passes.root) {
        const Vec3 S_centre = 0.5 * (source.p[size_t(program.root.S_thigh_left)] +
                                     source.p[size_t(program.root.S_thigh_right)]);
        centre = program.map(S_centre);
        centre.y() = program.root.T_ankle_m + program.map.k * (S_centre.y() - program.root.S_ankle_m);
    }
    if (held) {
        centre += held->hips_m;
        turn_joint(target, program.body.hips, held->hips_turn);
        for (size_t i = 0; i < limb_count; ++i) {
            const EndOp& end = program.ends[i];
            if (end.limb < 0) continue;
            const FrameCorrection::Limb& limb = held->limbs[i];
            turn_joint(target, end.sole.ankle, limb.foot);
            if (end.sole.toe >= 0) turn_joint(target, end.sole.toe, limb.toe * limb.foot);
        }
        follow(program, source, target, false);
    }
    place_joints(program, source, centre - target.R[size_t(program.body.hips)] * program.root.T_hip_centre,
                 target);
}

}  // namespace nb
