#include "core/review/feet.hpp"

#include <algorithm>
#include <cmath>

#include "core/rest/evidence.hpp"

namespace nb {

namespace {

class Seer {
  public:
    explicit Seer(const Character& c) : c_(c), rest_(aligned_pose(c.rest)) {
        if (!c.rig.meshes.empty()) mesh_ = mesh_points(c.rig, rest_);
    }

    /// A point of the world as the joint has it.
    StandingPoint point(const std::string& name, int joint, const Vec3& touches, const Vec3& carried) const {
        StandingPoint result;
        result.name = name;
        result.joint = joint;
        result.at_J = rest_.R[size_t(joint)].conjugate() * Vec3(carried - rest_.p[size_t(joint)]);
        result.below_m = carried.y() - touches.y();
        return result;
    }

    StandingEnd paw(const std::string& name, int joint) const {
        Vec3 pad = rest_.p[size_t(joint)];
        pad.y() = std::min(0.0, pad.y());
        return {name, {point(name, joint, pad, rest_.p[size_t(joint)])}};
    }

    StandingEnd foot(const std::string& side) const {
        const int ankle = c_.roles.joint("foot" + side);
        const int toe = c_.roles.joint("toe" + side);
        const Vec3& a = rest_.p[size_t(ankle)];
        const Vec3 ball = toe >= 0 ? rest_.p[size_t(toe)] : end_of("foot" + side, a + below_ankle());
        Vec3 way = ball - a;
        way.y() = 0.0;
        const double length = way.norm();
        const Vec3 ahead = length > 1e-6 ? Vec3(way / length) : Vec3(Vec3::UnitZ());
        Vec3 heel = a - back_of(ankle, ahead, length) * ahead;
        heel.y() = 0.0;
        const Vec3 under(ball.x(), 0.0, ball.z());
        StandingEnd end{"foot" + side, {}};
        // A hock stands over its toes; nothing of it is a heel.
        if (!c_.roles.has_hock()) end.points.push_back(point("heel" + side, ankle, heel, heel));
        end.points.push_back(point("ball" + side, ankle, under, ball));
        if (toe >= 0) {
            Vec3 tip = end_of("toe" + side, ball + 0.6 * length * ahead);
            tip.y() = 0.0;
            end.points.push_back(point("toetip" + side, toe, tip, tip));
            end.points.back().rests = false;
        }
        return end;
    }

  private:
    const Character& c_;
    Pose rest_;
    MeshPoints mesh_;

    Vec3 below_ankle() const { return {0, -0.8 * c_.rest.ankle_height_m, 1.1 * c_.rest.ankle_height_m}; }
    Vec3 end_of(const std::string& role, const Vec3& otherwise) const {
        Vec3 end;
        return find_bone_end(c_.rig.skeleton, c_.roles, role, rest_, end) ? end : otherwise;
    }
    /// How far the lower half of the foot's mesh goes back behind the ankle; by proportion where no mesh says.
    double back_of(int ankle, const Vec3& ahead, double to_ball) const {
        double back = 0.0;
        int low = 0;
        if (!mesh_.of_joint.empty()) {
            const Vec3& a = rest_.p[size_t(ankle)];
            for (const Vec3& v : mesh_.below(c_.rig.skeleton, ankle))
                if (v.y() <= 0.5 * a.y()) {
                    back = std::max(back, ahead.dot(a - v));
                    ++low;
                }
        }
        const bool says = low >= 4 && back >= 0.1 * to_ball && back <= 1.5 * to_ball;
        return says ? back : 0.53 * to_ball;
    }
};

}  // namespace

const StandingPoint* StandingEnd::point(const std::string& named) const {
    const auto at =
        std::find_if(points.begin(), points.end(), [&](const StandingPoint& p) { return p.name == named; });
    return at == points.end() ? nullptr : &*at;
}

std::vector<StandingEnd> standing_ends(const Character& character) {
    std::vector<StandingEnd> ends;
    if (!character.rest.is_there()) return ends;
    const Seer seer(character);
    for (const char* side : {".left", ".right"}) {
        if (!character.roles.is_four_legged()) {
            if (character.roles.joint(std::string("foot") + side) >= 0) ends.push_back(seer.foot(side));
            continue;
        }
        for (const auto& [paw, over, name] :
             {std::tuple{"toe", "foot", "hindpaw"}, std::tuple{"paw", "hand", "forepaw"}}) {
            int joint = character.roles.joint(std::string(paw) + side);
            if (joint < 0) joint = character.roles.joint(std::string(over) + side);
            if (joint >= 0) ends.push_back(seer.paw(std::string(name) + side, joint));
        }
    }
    return ends;
}

}  // namespace nb
