#include "core/review/ranges.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

namespace nb {

namespace {

using Angles = std::array<double, joint_ranges.size()>;

/// The role a part's turn is seen from.
std::string seen_from(const std::string& part, const std::string& side) {
    if (part == "forearm") return "upperarm" + side;
    if (part == "shin") return "thigh" + side;
    if (part == "hand") return "forearm" + side;
    if (part == "thigh") return "hips";
    return "chest";  // upper arm, head
}

void put(Angles& angles, std::string_view part, std::string_view way, double rad) {
    for (size_t i = 0; i < joint_ranges.size(); ++i)
        if (joint_ranges[i].part == part && joint_ranges[i].way == way)
            angles[i] = std::max(0.0, rad_to_deg(rad));
}

/// The two ends of one way of turning.
void put(Angles& angles, std::string_view part, std::string_view way, std::string_view back, double rad) {
    put(angles, part, way, rad);
    put(angles, part, back, -rad);
}

}  // namespace

Angles joint_angles_deg(const Character& body, const std::string& role, const std::vector<Quat>& R_WJ) {
    Angles angles{};
    const std::string part = role_part(role);
    const Side side = role_side(role);
    const int b = body.roles.joint(role);
    const int a = body.roles.joint(seen_from(part, std::string(side_suffix(side))));
    if (a < 0 || b < 0 || !body.rest.is_there()) return angles;
    const auto turned = [&](int j) { return R_WJ[size_t(j)] * body.rest.R_WJ0[size_t(j)].conjugate(); };
    const Quat Q = (turned(a).conjugate() * turned(b)).normalized();
    const double left = side == Side::right ? -1.0 : 1.0;
    const Vec3 x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ();
    if (part == "forearm" || part == "shin") {
        // Arms lie along the side, legs downward; both bend about this axis.
        const bool is_arm = part == "forearm";
        const Vec3 along = is_arm ? Vec3(left * x) : Vec3(-y);
        const Vec3 about = is_arm ? Vec3(-left * y) : x;
        const Vec3 d = Q * along;
        const double bent = std::atan2(along.cross(d).norm(), along.dot(d));
        const double back = along.cross(d).dot(about) < 0.0 ? -1.0 : 1.0;
        put(angles, part, "bends", is_arm ? "bends backward" : "bends forward", back * bent);
    } else if (part == "hand") {
        const Vec3 d = Q * Vec3(left * x);
        put(angles, part, "bends down", "bends up", std::atan2(-d.y(), left * d.x()));
        put(angles, part, "leans to the thumb", "leans to the little finger",
            std::asin(std::clamp(d.z(), -1.0, 1.0)));
    } else if (part == "upperarm") {
        const Vec3 d = Q * Vec3(left * x);
        put(angles, part, "goes back", std::asin(std::clamp(-d.z(), -1.0, 1.0)));
        put(angles, part, "turns in", "turns out", twist_angle(Q, x));
    } else if (part == "thigh") {
        const Vec3 d = Q * Vec3(-y);
        put(angles, part, "goes forward", "goes back", std::atan2(d.z(), -d.y()));
        put(angles, part, "goes out", "goes in", std::asin(std::clamp(left * d.x(), -1.0, 1.0)));
        put(angles, part, "turns out", "turns in", twist_angle(Q, left * y));
    } else if (part == "head") {
        const Vec3 face = Q * z;
        const double round = std::atan2(face.x(), face.z());
        put(angles, part, "turns left", "turns right", round);
        put(angles, part, "bends down", "bends up", -std::asin(std::clamp(face.y(), -1.0, 1.0)));
        // What is left once the face is straight again.
        const Quat straight = shortest_arc(face, z) * Q;
        put(angles, part, "leans right", "leans left", twist_angle(straight, z));
    }
    return angles;
}

std::vector<RangeExcess> range_excess(const Character& body, const WorldMotion& motion, int first_frame) {
    std::vector<RangeExcess> found;
    if (body.roles.is_four_legged() || !body.rest.is_there()) return found;
    std::vector<std::string> roles{"head"};
    for (const char* side : {".left", ".right"})
        for (const char* part : {"upperarm", "forearm", "hand", "thigh", "shin"})
            roles.push_back(part + std::string(side));
    std::vector<Quat> R(size_t(motion.joints));
    std::vector<std::array<std::optional<size_t>, joint_ranges.size()>> at(roles.size());
    for (int f = first_frame; f < motion.frames; ++f) {
        for (int j = 0; j < motion.joints; ++j) R[size_t(j)] = motion.R[motion.at(f, j)];
        for (size_t r = 0; r < roles.size(); ++r) {
            const Angles angles = joint_angles_deg(body, roles[r], R);
            for (size_t i = 0; i < angles.size(); ++i) {
                const double over = angles[i] - joint_ranges[i].most_deg;
                if (over <= 0.0) continue;
                if (!at[r][i]) {
                    at[r][i] = found.size();
                    found.push_back({roles[r], i, std::vector<float>(size_t(motion.frames), 0.0F)});
                }
                found[*at[r][i]].over_deg[size_t(f)] = float(over);
            }
        }
    }
    return found;
}

}  // namespace nb
