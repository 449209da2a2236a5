#include "core/rest/joint_ranges.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

namespace nb {

namespace {

consteval size_t row(std::string_view part, std::string_view way) {
    for (size_t i = 0; i < joint_ranges.size(); ++i)
        if (joint_ranges[i].part == part && joint_ranges[i].way == way) return i;
    throw "no such range";
}

}  // namespace

std::optional<RangedJoint> ranged_joint(const Character& body, const std::string& role) {
    struct Row {
        std::string_view part, seen_from;
        bool is_seen_on_its_side;
        RangedJoint::Part as;
    };
    constexpr std::array<Row, 6> rows{{{"forearm", "upperarm", true, RangedJoint::Part::elbow},
                                       {"shin", "thigh", true, RangedJoint::Part::knee},
                                       {"hand", "forearm", true, RangedJoint::Part::wrist},
                                       {"upperarm", "chest", false, RangedJoint::Part::shoulder},
                                       {"thigh", "hips", false, RangedJoint::Part::hip},
                                       {"head", "chest", false, RangedJoint::Part::neck}}};
    const std::string part = role_part(role);
    const Side side = role_side(role);
    const auto own = std::find_if(rows.begin(), rows.end(), [&](const Row& one) { return one.part == part; });
    if (own == rows.end() || !body.rest.is_there()) return {};
    const std::string_view suffix = own->is_seen_on_its_side ? side_suffix(side) : "";
    const int above = body.roles.joint(std::string(own->seen_from) + std::string(suffix));
    const int joint = body.roles.joint(role);
    if (above < 0 || joint < 0) return {};
    const auto inverse_rest = [&](int j) { return body.rest.R_WJ0[size_t(j)].conjugate(); };
    return RangedJoint{
        own->as, side == Side::right ? -1.0 : 1.0, above, joint, inverse_rest(above), inverse_rest(joint)};
}

JointAngles joint_angles_deg(const RangedJoint& ranged, const Quat& above_R_WJ, const Quat& R_WJ) {
    JointAngles angles{};
    const auto put = [&](size_t way, size_t back, double rad) {
        angles[way] = std::max(0.0, rad_to_deg(rad));
        angles[back] = std::max(0.0, rad_to_deg(-rad));
    };
    const auto slant = [](double along) { return std::asin(std::clamp(along, -1.0, 1.0)); };
    const Quat Q = ((above_R_WJ * ranged.above_R_JW0).conjugate() * (R_WJ * ranged.R_JW0)).normalized();
    const double left = ranged.left;
    const Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ();
    // By how much it bends away from `along`, about `about`.
    const auto bend = [&](const Vec3& along, const Vec3& about) {
        const Vec3 d = Q * along;
        const double bent = std::atan2(along.cross(d).norm(), along.dot(d));
        return along.cross(d).dot(about) < 0.0 ? -bent : bent;
    };
    switch (ranged.part) {
        case RangedJoint::Part::elbow:
            put(row("forearm", "bends"), row("forearm", "bends backward"), bend(left * x, -left * y));
            break;
        case RangedJoint::Part::knee:
            put(row("shin", "bends"), row("shin", "bends forward"), bend(-y, x));
            break;
        case RangedJoint::Part::wrist: {
            const Vec3 d = Q * Vec3(left * x);
            put(row("hand", "bends down"), row("hand", "bends up"), std::atan2(-d.y(), left * d.x()));
            put(row("hand", "leans to the thumb"), row("hand", "leans to the little finger"), slant(d.z()));
            break;
        }
        case RangedJoint::Part::shoulder:
            angles[row("upperarm", "goes back")] =
                std::max(0.0, rad_to_deg(slant(-(Q * Vec3(left * x)).z())));
            put(row("upperarm", "turns in"), row("upperarm", "turns out"), twist_angle(Q, x));
            break;
        case RangedJoint::Part::hip: {
            const Vec3 d = Q * Vec3(-y);
            put(row("thigh", "goes forward"), row("thigh", "goes back"), std::atan2(d.z(), -d.y()));
            put(row("thigh", "goes out"), row("thigh", "goes in"), slant(left * d.x()));
            put(row("thigh", "turns out"), row("thigh", "turns in"), twist_angle(Q, left * y));
            break;
        }
        case RangedJoint::Part::neck: {
            const Vec3 face = Q * z;
            put(row("head", "turns left"), row("head", "turns right"), std::atan2(face.x(), face.z()));
            put(row("head", "bends down"), row("head", "bends up"), slant(-face.y()));
            // What is left once the face is straight again.
            put(row("head", "leans right"), row("head", "leans left"),
                twist_angle(shortest_arc(face, z) * Q, z));
            break;
        }
    }
    return angles;
}

JointAngles joint_angles_deg(const Character& body, const std::string& role, const std::vector<Quat>& R_WJ) {
    const auto ranged = ranged_joint(body, role);
    return ranged ? joint_angles_deg(*ranged, R_WJ[size_t(ranged->above)], R_WJ[size_t(ranged->joint)])
                  : JointAngles{};
}

}  // namespace nb
