#include "core/contact/sole.hpp"

#include <algorithm>

#include "core/motion/kinematics.hpp"
#include "core/rest/evidence.hpp"

namespace nb {

namespace {

constexpr double heel_by_ball = 0.53;
constexpr double tip_by_ball = 0.6;

/// Rear end of the mesh's underside, as far behind the ankle as it goes; 0 when there is no mesh there.
double heel_of_mesh(const Character& c, int ankle, const Vec3& ahead, const MeshPoints& points) {
    const Vec3& p_ankle = c.rest.p_WJ0[size_t(ankle)];
    double rear = 0.0;
    int count = 0;
    for (const Vec3& p : points.below(c.rig.skeleton, ankle)) {
        if (p.y() > 0.5 * p_ankle.y()) continue;
        rear = std::min(rear, ahead.dot(p - p_ankle));
        ++count;
    }
    return count < 4 ? 0.0 : -rear;
}

}  // namespace

namespace {

std::string_view point_name(LimbEnd end, FootPoint point) {
    switch (end) {
        case LimbEnd::foot:
            return point == FootPoint::heel ? "heel" : point == FootPoint::ball ? "ball" : "toetip";
        case LimbEnd::hindpaw:
            return "hindpaw";
        case LimbEnd::forepaw:
            return "forepaw";
        case LimbEnd::wrist:
            return "wrist";
        case LimbEnd::knee:
            return "knee";
        case LimbEnd::seat:
            return "seat";
    }
    return {};
}

}  // namespace

std::string Sole::name(FootPoint which) const {
    return std::string(point_name(end, which)) + std::string(side_suffix(side));
}

std::string Sole::end_name() const {
    return end == LimbEnd::foot ? "foot" + std::string(side_suffix(side)) : name(FootPoint::ball);
}

std::span<const FootPoint> Sole::resting() const {
    static constexpr std::array<FootPoint, 2> of_foot{FootPoint::heel, FootPoint::ball};
    const std::span<const FootPoint> all(of_foot);
    return end == LimbEnd::foot && has_heel ? all : end == LimbEnd::wrist ? all.subspan(2) : all.subspan(1);
}

Vec3 Sole::point(FootPoint which, const Quat& R_ankle, const Vec3& p_ankle, const Quat& R_toe,
                 const Vec3& p_toe) const {
    switch (which) {
        case FootPoint::heel:
            return p_ankle + R_ankle * heel_J;
        case FootPoint::ball:
            return p_ankle + R_ankle * ball_J - ball_over_m * Vec3::UnitY();
        case FootPoint::toetip:
            return toe < 0 ? Vec3(p_ankle + R_ankle * tip_J) : Vec3(p_toe + R_toe * tip_J);
    }
    return p_ankle;
}

Vec3 Sole::point(FootPoint which, const WorldMotion& motion, int frame) const {
    const size_t a = motion.at(frame, ankle);
    const size_t t = motion.at(frame, toe < 0 ? ankle : toe);
    return point(which, motion.R[a], motion.p[a], motion.R[t], motion.p[t]);
}

Vec3 Sole::point(FootPoint which, const Pose& pose) const {
    const size_t a = size_t(ankle);
    const size_t t = size_t(toe < 0 ? ankle : toe);
    return point(which, pose.R[a], pose.p[a], pose.R[t], pose.p[t]);
}

std::optional<ContactPoint> contact_point(std::string_view name) {
    if (name == "seat") return ContactPoint{0, LimbEnd::seat, FootPoint::ball};
    for (const LimbEnd end :
         {LimbEnd::foot, LimbEnd::hindpaw, LimbEnd::forepaw, LimbEnd::wrist, LimbEnd::knee})
        for (const Side side : {Side::left, Side::right})
            for (const FootPoint point : foot_points) {
                if (end != LimbEnd::foot && point != FootPoint::ball) continue;
                if (name != std::string(point_name(end, point)) + std::string(side_suffix(side))) continue;
                const bool is_arm = end == LimbEnd::forepaw || end == LimbEnd::wrist;
                return ContactPoint{(is_arm ? 2u : 0u) + (side == Side::right ? 1u : 0u), end, point};
            }
    return {};
}

namespace {

/// A paw, or a wrist: one joint, the pad straight below it.
std::optional<Sole> plain_end(const Character& character, LimbEnd end, Side side) {
    const std::string suffix(side_suffix(side));
    Sole sole;
    sole.end = end;
    sole.side = side;
    if (end != LimbEnd::wrist)
        sole.ankle = character.roles.joint((end == LimbEnd::hindpaw ? "toe" : "paw") + suffix);
    if (sole.ankle < 0)
        sole.ankle = character.roles.joint((end == LimbEnd::hindpaw ? "foot" : "hand") + suffix);
    if (sole.ankle < 0) return {};
    if (end != LimbEnd::wrist) sole.ball_over_m = std::max(0.0, character.rest.p_WJ0[size_t(sole.ankle)].y());
    return sole;
}

}  // namespace

Soles soles_of(const Character& character) {
    Soles result;
    const RestAlignment& rest = character.rest;
    if (!rest.is_there()) return result;
    const bool is_four_legged = character.roles.is_four_legged();
    for (const Side side : {Side::left, Side::right}) {
        const size_t limb = side == Side::left ? 0 : 1;
        if (is_four_legged) result[limb] = plain_end(character, LimbEnd::hindpaw, side);
        result[limb + 2] = plain_end(character, is_four_legged ? LimbEnd::forepaw : LimbEnd::wrist, side);
    }
    if (is_four_legged) return result;
    const MeshPoints points =
        character.rig.meshes.empty() ? MeshPoints() : mesh_points(character.rig, aligned_pose(rest));
    for (const Side side : {Side::left, Side::right}) {
        const std::string suffix(side_suffix(side));
        Sole sole;
        sole.side = side;
        sole.ankle = character.roles.joint("foot" + suffix);
        sole.toe = character.roles.joint("toe" + suffix);
        if (sole.ankle < 0) continue;
        const Vec3& p_ankle = rest.p_WJ0[size_t(sole.ankle)];
        const Quat R_JW = rest.R_WJ0[size_t(sole.ankle)].conjugate();
        Vec3 ball = p_ankle + 0.1 * rest.ankle_height_m * Vec3::UnitZ();
        if (sole.toe >= 0)
            ball = rest.p_WJ0[size_t(sole.toe)];
        else if (Vec3 end; find_bone_end(character.rig.skeleton, character.roles, "foot" + suffix,
                                         aligned_pose(rest), end))
            ball = end;
        else
            ball = p_ankle + Vec3(0, -0.8 * rest.ankle_height_m, 1.1 * rest.ankle_height_m);
        Vec3 ahead(ball.x() - p_ankle.x(), 0, ball.z() - p_ankle.z());
        const double to_ball = ahead.norm();
        ahead = to_ball > 1e-6 ? Vec3(ahead / to_ball) : Vec3(Vec3::UnitZ());
        double back = points.of_joint.empty() ? 0.0 : heel_of_mesh(character, sole.ankle, ahead, points);
        if (back < 0.1 * to_ball || back > 1.5 * to_ball) back = heel_by_ball * to_ball;
        sole.has_heel = !character.roles.has_hock();
        if (!sole.has_heel) back = std::max(back, 0.1 * p_ankle.y());
        sole.heel_J = R_JW * (-back * ahead - p_ankle.y() * Vec3::UnitY());
        sole.ball_J = R_JW * (ball - p_ankle);
        sole.ball_over_m = ball.y();
        Vec3 tip = ball + tip_by_ball * to_ball * ahead;
        if (Vec3 end; sole.toe >= 0 && find_bone_end(character.rig.skeleton, character.roles, "toe" + suffix,
                                                     aligned_pose(rest), end))
            tip = end;
        sole.has_tip = sole.toe >= 0;
        tip.y() = 0.0;
        sole.tip_J =
            sole.toe < 0
                ? Vec3(R_JW * (tip - p_ankle))
                : Vec3(rest.R_WJ0[size_t(sole.toe)].conjugate() * (tip - rest.p_WJ0[size_t(sole.toe)]));
        result[side == Side::left ? 0 : 1] = sole;
    }
    return result;
}

}  // namespace nb
