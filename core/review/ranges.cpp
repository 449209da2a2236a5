#include "core/review/ranges.hpp"

namespace nb {

std::vector<RangeExcess> range_excess(const Character& body, const WorldMotion& motion, int first_frame) {
    std::vector<RangeExcess> found;
    if (body.roles.is_four_legged()) return found;
    for (const RoleFill& fill : body.roles.fills) {
        const auto ranged = ranged_joint(body, fill.role);
        if (!ranged) continue;
        std::array<std::vector<float>, joint_ranges.size()> over_deg;
        for (int f = first_frame; f < motion.frames; ++f) {
            const JointAngles angles = joint_angles_deg(*ranged, motion.R[motion.at(f, ranged->above)],
                                                        motion.R[motion.at(f, ranged->joint)]);
            for (size_t i = 0; i < angles.size(); ++i) {
                const double over = angles[i] - joint_ranges[i].most_deg;
                if (over <= 0.0) continue;
                over_deg[i].resize(size_t(motion.frames), 0.0F);
                over_deg[i][size_t(f)] = float(over);
            }
        }
        for (size_t i = 0; i < over_deg.size(); ++i)
            if (!over_deg[i].empty()) found.push_back({fill.role, i, std::move(over_deg[i])});
    }
    return found;
}

}  // namespace nb
