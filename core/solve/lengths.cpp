#include "core/solve/lengths.hpp"

#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

void compile_lengths(const PairedBodies& bodies, Program& program) {
    program.length_of.assign(bodies.T_tree.names.size(), -1);
    for (const MatchedChain& chain : bodies.matched) {
        const double share = bodies.set(chain.name).length_share.value_or(0.0);
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
            const auto& p0 = bodies.S.rest.p_WJ0;
            for (size_t i = 1; i < op.S_joints.size(); ++i)
                op.S_rest_m += (p0[size_t(op.S_joints[i])] - p0[size_t(op.S_joints[i - 1])]).norm();
            if (op.S_rest_m < 1e-6) continue;
            for (int j = chain.T_joints[t + 1]; j >= 0 && j != chain.T_joints[t];
                 j = bodies.T_tree.parents[size_t(j)])
                program.length_of[size_t(j)] = int(program.lengths.size());
            program.lengths.push_back(std::move(op));
        }
    }
    if (program.lengths.empty()) program.length_of.clear();
}

double length_factor(const Program& program, const SourceFrame& source, size_t joint) {
    if (program.length_of.empty() || program.length_of[joint] < 0) return 1.0;
    const LengthOp& op = program.lengths[size_t(program.length_of[joint])];
    double now = 0.0;
    for (size_t i = 1; i < op.S_joints.size(); ++i)
        now += (source.p[size_t(op.S_joints[i])] - source.p[size_t(op.S_joints[i - 1])]).norm();
    return 1.0 + op.share * (now / op.S_rest_m - 1.0);
}

}  // namespace nb
