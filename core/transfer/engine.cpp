#include "core/transfer/engine.hpp"

#include <algorithm>
#include <array>
#include <stdexcept>

#include "core/transfer/passes.hpp"

namespace nb {

namespace {

void run_passes(const Plan& plan, const SourceFrame& source, TargetFrame& target) {
    pass_angles(plan, source, target);
    pass_root(plan, source, target);
    pass_reach(plan, source, target);
    pass_twist(plan, target);
}

}  // namespace

void solve_frame(const Plan& plan, const WorldMotion& source, WorldMotion& target, int frame) {
    const SourceFrame S{{&source.R[source.at(frame, 0)], size_t(source.joints)},
                        {&source.p[source.at(frame, 0)], size_t(source.joints)}};
    TargetFrame T{{&target.R[target.at(frame, 0)], size_t(target.joints)},
                  {&target.p[target.at(frame, 0)], size_t(target.joints)}};
    run_passes(plan, S, T);
}

void solve_pose(const Plan& plan, const Pose& source, Pose& target) {
    TargetFrame T{target.R, target.p};
    run_passes(plan, {source.R, source.p}, T);
}

PassEffects pass_effects(const Plan& plan, const Pose& source) {
    PassEffects result;
    const size_t joints = plan.T_parents.size();
    Pose with{std::vector<Quat>(joints), std::vector<Vec3>(joints)};
    Pose without = with;
    const std::array<bool Passes::*, 4> passes{&Passes::root, &Passes::angles, &Passes::reach,
                                               &Passes::twist};
    const std::array<double*, 3> distances{&result.root_cm, &result.angles_cm, &result.reach_cm};
    for (size_t pass = 0; pass < passes.size(); ++pass) {
        Plan changed = plan;
        changed.passes.*passes[pass] = true;
        solve_pose(changed, source, with);
        changed.passes.*passes[pass] = false;
        solve_pose(changed, source, without);
        for (size_t j = 0; j < joints && pass < distances.size(); ++j)
            *distances[pass] += 100.0 * (with.p[j] - without.p[j]).norm() / double(joints);
    }
    for (const TwistOp& op : plan.twists)
        result.twist_deg =
            std::max(result.twist_deg,
                     rad_to_deg(angle_between(with.R[size_t(op.joint)], without.R[size_t(op.joint)])));
    return result;
}

TransferResult transfer(const Character& source, const Take& take, const Character& target,
                        const PairingSettings& settings, int threads, const Progress& progress) {
    TransferResult result;
    result.plan = compile_plan(source, target, settings);
    result.source = forward_kinematics(source.rig.skeleton, take, threads);
    const int joints = target.rig.skeleton.size();
    result.target.resize(take.frames, joints);
    Take& baked = result.take;
    baked.name = take.name;
    baked.frame_time_text = take.frame_time_text;
    baked.frame_time_s = take.frame_time_s;
    baked.frames = take.frames;
    baked.joints = joints;
    baked.first_motion_frame = take.first_motion_frame;
    const int hips = result.plan.T_hips;
    baked.translated = {hips};
    baked.R.resize(size_t(take.frames) * size_t(joints));
    baked.p.resize(size_t(take.frames));

    std::atomic<int> done{0};
    std::atomic<bool> is_cancelled{false};
    for_each_frame(take.frames, threads, [&](int first, int last) {
        for (int f = first; f < last && !is_cancelled; ++f) {
            solve_frame(result.plan, result.source, result.target, f);
            const Quat* R = &result.target.R[result.target.at(f, 0)];
            const Vec3* p = &result.target.p[result.target.at(f, 0)];
            Quat* local = &baked.R[size_t(f) * size_t(joints)];
            for (int j = 0; j < joints; ++j) {
                const int parent = result.plan.T_parents[size_t(j)];
                local[j] = parent < 0 ? R[j] : (R[parent].conjugate() * R[j]).normalized();
            }
            const int parent = result.plan.T_parents[size_t(hips)];
            baked.p[size_t(f)] =
                parent < 0 ? p[hips] : Vec3(R[parent].conjugate() * Vec3(p[hips] - p[parent]));
        }
        const int now = done += last - first;
        if (progress && !progress(now, take.frames)) is_cancelled = true;
    });
    if (is_cancelled) throw std::runtime_error("cancelled");
    return result;
}

}  // namespace nb
