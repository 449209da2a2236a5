#include "core/intake/take_faults.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

const Quat& rotation(const Take& take, int frame, int joint) {
    return take.R[size_t(frame) * size_t(take.joints) + size_t(joint)];
}

}  // namespace

std::vector<Jitter> find_jitter(const Take& take) {
    std::vector<Jitter> result;
    const int first = take.first_motion_frame;
    if (take.frames - first < 12) return result;
    constexpr double least = 0.15;  // degrees
    for (int j = 0; j < take.joints; ++j) {
        Jitter jitter{j, 0.0, 0.0, first};
        std::vector<double> sizes;
        double worst = 0.0;
        Vec3 before = Vec3::Zero();
        Vec3 step_before = log_rotation(rotation(take, first, j).conjugate() * rotation(take, first + 1, j));
        for (int f = first + 1; f + 1 < take.frames; ++f) {
            const Vec3 step = log_rotation(rotation(take, f, j).conjugate() * rotation(take, f + 1, j));
            const Vec3 change = step - step_before;
            step_before = step;
            const double size = rad_to_deg(change.norm());
            // Turned against the change before, and not small against it.
            if (size > least && before.norm() > 0.3 * change.norm() &&
                change.dot(before) < -0.5 * change.norm() * before.norm()) {
                sizes.push_back(size);
                if (size > worst) {
                    worst = size;
                    jitter.worst_frame = f;
                }
            }
            before = change;
        }
        jitter.share = double(sizes.size()) / double(take.frames - first - 2);
        if (jitter.share < 0.2) continue;
        std::nth_element(sizes.begin(), sizes.begin() + std::ptrdiff_t(sizes.size() / 2), sizes.end());
        jitter.median_deg = sizes[sizes.size() / 2];
        result.push_back(jitter);
    }
    std::sort(result.begin(), result.end(), [](const Jitter& a, const Jitter& b) {
        return a.share * a.median_deg > b.share * b.median_deg;
    });
    return result;
}

std::vector<Span> find_frozen(const Take& take) {
    std::vector<Span> result;
    const int least = std::max(3, int(std::lround(0.1 / take.frame_time_s)));
    const size_t moved = take.translated.size();
    int since = -1;
    int still_frames = 0;
    for (int f = 1; f <= take.frames; ++f) {
        bool is_still = f < take.frames;
        for (int j = 0; j < take.joints && is_still; ++j)
            is_still = rotation(take, f, j).coeffs() == rotation(take, f - 1, j).coeffs();
        for (size_t m = 0; m < moved && is_still; ++m)
            is_still = take.p[size_t(f) * moved + m] == take.p[size_t(f - 1) * moved + m];
        if (is_still && since < 0) since = f - 1;
        if (!is_still && since >= 0) {
            if (f - since >= least) result.push_back({since, f});
            still_frames += f - since;
            since = -1;
        }
    }
    if (still_frames > take.frames / 2) result.clear();  // a pose that is held is no fault
    return result;
}

std::vector<int> find_still(const RoleMap& roles, const Take& take) {
    std::vector<int> still;
    for (const RoleFill& fill : roles.fills) {
        bool is_still = true;
        for (int f = take.first_motion_frame + 1; f < take.frames && is_still; ++f)
            is_still = angle_between(rotation(take, f, fill.joint),
                                     rotation(take, take.first_motion_frame, fill.joint)) < 1e-6;
        if (is_still) still.push_back(fill.joint);
    }
    return still;
}

}  // namespace nb
