#include "core/body/hops.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"

namespace nb {

std::vector<Hop> find_foot_hops(const Skeleton& skeleton, const RoleMap& roles, const WorldMotion& motion,
                                double frame_time_s, int first_frame) {
    std::vector<Hop> result;
    const double leg = leg_length(skeleton, roles);
    const int window = std::max(2, int(std::lround(0.15 / frame_time_s)));
    if (leg <= 0.0 || motion.frames < 4 * window) return result;
    for (const bool is_left : {true, false}) {
        const std::string side = is_left ? ".left" : ".right";
        const int ankle = roles.joint("foot" + side);
        if (ankle < 0) continue;
        std::vector<Vec3> p(size_t(motion.frames));
        for (int f = 0; f < motion.frames; ++f) p[size_t(f)] = motion.p[motion.at(f, ankle)];
        const auto is_slow = [&](int f) {
            // Over a window: under a tenth of a leg length per second.
            const int a = std::clamp(f - window, 0, motion.frames - 1);
            const int b = std::clamp(f, 0, motion.frames - 1);
            return (p[size_t(b)] - p[size_t(a)]).norm() < 0.1 * leg * double(b - a) * frame_time_s + 1e-6;
        };
        for (int f = std::max(window, first_frame + window); f + 2 * window < motion.frames; ++f) {
            if (!is_slow(f)) continue;
            double far = 0.0;
            int at = f;
            for (int k = f + 1; k < f + window; ++k)
                if (const double d = (p[size_t(k)] - p[size_t(f)]).norm(); d > far) {
                    far = d;
                    at = k;
                }
            const int back = f + window;
            if (far < 0.01 * leg || (p[size_t(back)] - p[size_t(f)]).norm() > 0.3 * far ||
                !is_slow(back + window))
                continue;
            result.push_back({at, f, back, is_left, far});
            f = back + window;
        }
    }
    std::sort(result.begin(), result.end(), [](const Hop& a, const Hop& b) { return a.frame < b.frame; });
    return result;
}

std::vector<Hop> find_foot_hops(const Skeleton& skeleton, const RoleMap& roles, const Take& take) {
    return find_foot_hops(skeleton, roles, forward_kinematics(skeleton, take), take.frame_time_s,
                          take.first_motion_frame);
}

}  // namespace nb
