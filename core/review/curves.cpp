#include "core/review/curves.hpp"

#include <algorithm>
#include "core/motion/kinematics.hpp"

namespace nb {

std::string_view bone_quantity_name(BoneQuantity quantity) {
    constexpr std::array<std::string_view, 7> names{"height", "ahead", "aside",     "bend",
                                                    "turn",   "speed", "turn speed"};
    return names[size_t(quantity)];
}

std::string_view bone_quantity_unit(BoneQuantity quantity) {
    constexpr std::array<std::string_view, 7> units{"cm", "cm", "cm", "°", "°", "cm/s", "°/s"};
    return units[size_t(quantity)];
}

std::vector<double> bone_curve(const Character& c, const WorldMotion& motion, const std::string& role,
                               BoneQuantity quantity, double dt, const PlaceMap& map) {
    const int joint = c.roles.joint(role);
    if (joint < 0 || motion.frames == 0 || !c.rest.is_there()) return {};
    const int parent = c.roles.joint(c.roles.parent_role(role));
    const auto Q = [&](int frame, int of) {
        return Quat(motion.R[motion.at(frame, of)] * c.rest.R_WJ0[size_t(of)].conjugate());
    };
    std::vector<double> curve(size_t(motion.frames), 0.0);
    for (int f = 0; f < motion.frames; ++f) {
        const Vec3& p = motion.p[motion.at(f, joint)];
        double& value = curve[size_t(f)];
        // Between the frames beside it; within the take.
        const int middle = std::clamp(f, std::min(1, motion.frames - 1), std::max(0, motion.frames - 2));
        const int before = std::max(0, middle - 1);
        const int after = std::min(motion.frames - 1, middle + 1);
        const double time = std::max(1, after - before) * dt;
        switch (quantity) {
            case BoneQuantity::height:
                value = 100.0 * map(p).y();
                break;
            case BoneQuantity::ahead:
                value = 100.0 * map(p).z();
                break;
            case BoneQuantity::aside:
                value = 100.0 * map(p).x();
                break;
            case BoneQuantity::bend:
                value = parent < 0 ? 0.0 : rad_to_deg(angle_between(Q(f, parent), Q(f, joint)));
                break;
            case BoneQuantity::turn:
                value = rad_to_deg(angle_between(Quat(Quat::Identity()), Q(f, joint)));
                break;
            case BoneQuantity::speed:
                value = 100.0 * map.k *
                        (motion.p[motion.at(after, joint)] - motion.p[motion.at(before, joint)]).norm() /
                        time;
                break;
            case BoneQuantity::turn_speed:
                value = rad_to_deg(angle_between(motion.R[motion.at(before, joint)],
                                                 motion.R[motion.at(after, joint)])) /
                        time;
                break;
        }
    }
    return curve;
}

}  // namespace nb
