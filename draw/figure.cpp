#include "draw/figure.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"

namespace nb {

namespace {

/// A cross-section: at `along` the bone (0 start, 1 end), half widths across the body and fore and aft as a
/// share of stature, the centre moved fore by `ahead`.
struct Ring {
    double along, wide, deep, ahead = 0.0;
};

using Profile = std::vector<Ring>;

const Profile& profile_of(const std::string& part) {
    static const Profile thigh{{-.06, .026, .026}, {.0, .038, .040},  {.18, .043, .046},
                               {.55, .034, .037},  {.92, .026, .028}, {1.0, .021, .023}};
    static const Profile shin{{-.03, .022, .024, .004}, {.04, .027, .030, .004}, {.26, .029, .033, -.004},
                              {.6, .019, .021, -.003},  {.94, .014, .015},       {1.0, .011, .012}};
    static const Profile upperarm{{-.05, .017, .017}, {.03, .024, .025}, {.3, .025, .026},
                                  {.7, .020, .021},   {.96, .018, .018}, {1.0, .014, .014}};
    static const Profile forearm{{-.02, .014, .015}, {.06, .020, .020}, {.3, .021, .022},
                                 {.75, .013, .015},  {.97, .011, .013}, {1.0, .009, .010}};
    static const Profile hand{
        {-.06, .008, .011}, {.08, .010, .020}, {.45, .011, .026}, {.75, .009, .022}, {1.0, .004, .010}};
    static const Profile digit{{-.05, .005, .005}, {.1, .008, .008}, {.7, .0065, .0065}, {1.0, .004, .004}};
    static const Profile clavicle{{-.02, .008, .008}, {.2, .013, .012}, {.8, .013, .013}, {1.02, .012, .012}};
    static const Profile neck{{-.1, .024, .024}, {.3, .022, .023}, {1.0, .020, .022}};
    static const Profile rib{
        {.04, .046, .032}, {.14, .060, .042}, {.5, .064, .045}, {.86, .062, .043}, {.96, .048, .033}};
    static const Profile chest{{.02, .050, .036}, {.1, .074, .052},  {.42, .086, .062},
                               {.74, .078, .054}, {.95, .046, .036}, {1.0, .028, .026}};
    static const Profile other{{-.02, .006, .006}, {.15, .010, .010}, {.8, .006, .006}, {1.0, .003, .003}};
    if (part == "thigh") return thigh;
    if (part == "shin") return shin;
    if (part == "upperarm") return upperarm;
    if (part == "forearm") return forearm;
    if (part == "hand") return hand;
    if (part == "clavicle") return clavicle;
    if (part == "neck") return neck;
    if (part == "spine") return rib;
    if (part == "chest") return chest;
    for (const auto* finger : {"thumb", "index", "middle", "ring", "little"})
        if (part == finger) return digit;
    return other;
}

class Builder {
  public:
    explicit Builder(const Character& character) : c_(character), skeleton_(character.rig.skeleton) {
        H_ = stature(skeleton_, c_.roles);
        if (!(H_ > 0.0)) H_ = 1.75;
    }

    Figure build() {
        const bool has_body = !c_.rest.R_WJ0.empty();
        pose_ = has_body ? Pose{c_.rest.R_WJ0, c_.rest.p_WJ0} : rest_pose(skeleton_);
        const auto is_small = [this](int j) {
            const std::string part = role_part(c_.roles.role_of(j));
            for (const auto* large : {"hips", "spine", "chest", "neck", "head", "clavicle", "upperarm",
                                      "forearm", "hand", "thigh", "shin", "foot", "toe"})
                if (part == large) return false;
            return has_role_map();
        };
        for (const bool small : {false, true}) {
            sides_ = small ? 6 : 12;
            for (int j = 0; j < skeleton_.size(); ++j)
                if (is_small(j) == small) add_joint(j, has_body);
            if (!small) figure_.shadow_index_count = figure_.indices.size();
        }
        return std::move(figure_);
    }

    /// Where the bone of joint j ends in the aligned rest; false when it has no length.
    bool bone_end(int j, Vec3& end) const {
        const std::string role = c_.roles.role_of(j);
        const std::string part = role_part(role);
        const Pose& pose = pose_;
        if (part == "chest" || (part == "spine" && c_.roles.joint("chest") < 0)) {
            const int left = c_.roles.joint("upperarm.left");
            const int right = c_.roles.joint("upperarm.right");
            const int neck = c_.roles.joint("neck.1");
            if (neck >= 0) {
                end = pose.p[size_t(neck)];
                return true;
            }
            if (left >= 0 && right >= 0) {
                end = 0.5 * (pose.p[size_t(left)] + pose.p[size_t(right)]);
                return true;
            }
        }
        if (!role.empty()) {
            if (find_bone_end(skeleton_, c_.roles, role, pose, end)) return true;
            end = pose.p[size_t(j)] + Vec3(0, 0.12 * H_, 0);  // a head whose top the file does not say
            return part == "head";
        }
        for (const EndSite& site : skeleton_.end_sites)
            if (site.joint == j && site.offset_m.norm() > 1e-4) {
                end = pose.p[size_t(j)] + pose.R[size_t(j)] * site.offset_m;
                return true;
            }
        for (int k = j + 1; k < skeleton_.size(); ++k)
            if (skeleton_.parents[size_t(k)] == j && (pose.p[size_t(k)] - pose.p[size_t(j)]).norm() > 1e-4) {
                end = pose.p[size_t(k)];
                return true;
            }
        return false;
    }

    bool has_role_map() const { return !c_.roles.fills.empty(); }
    double stature_m() const { return H_; }
    void set_pose() {
        pose_ = c_.rest.R_WJ0.empty() ? rest_pose(skeleton_) : Pose{c_.rest.R_WJ0, c_.rest.p_WJ0};
    }

  private:
    int sides_ = 12;
    const Character& c_;
    const Skeleton& skeleton_;
    double H_ = 1.75;
    Pose pose_;
    Figure figure_;

    void add_joint(int j, bool has_body) {
        const std::string role = c_.roles.role_of(j);
        const std::string part = role_part(role);
        if (role == "root") return;
        if (has_body && role.empty() && !hangs_on_role(j)) return;
        const RoleFill* fill = role.empty() ? nullptr : c_.roles.fill(role);
        const bool is_unsure = fill && fill->is_unsure();
        if (c_.roles.is_four_legged()) return four_legged(j, part, is_unsure);
        if (part == "hips") return pelvis(j, is_unsure);
        if (part == "head") return head(j, is_unsure);
        if (part == "foot") foot(j, role, is_unsure);
        if (part == "foot" || part == "toe") {
            if (part == "toe") toe(j, is_unsure);
            return;
        }
        Vec3 end;
        if (!bone_end(j, end)) return;
        sweep(j, pose_.p[size_t(j)], end, profile_of(part), is_unsure);
    }

    /// A body on four legs has no basin, skull and soles of human make: every bone tapers along its own line.
    void four_legged(int j, const std::string& part, bool is_unsure) {
        Vec3 end;
        if (part == "hips") {
            const int spine = c_.roles.joint("spine.1");
            if (spine < 0) return;
            end = pose_.p[size_t(spine)];
        } else if (!bone_end(j, end)) {
            return;
        }
        const bool is_trunk = part == "hips" || part == "spine" || part == "chest";
        sweep(j, pose_.p[size_t(j)], end,
              profile_of(is_trunk                                                            ? "spine"
                         : part == "head"                                                    ? "thigh"
                         : part == "foot" || part == "hand" || part == "clavicle"            ? "forearm"
                         : part == "toe" || part == "paw" || part == "tail" || part == "ear" ? "index"
                                                                                             : part),
              is_unsure);
    }

    /// Bones without a role are drawn when they hang on the body and are no mere tips.
    bool hangs_on_role(int j) const {
        const int hips = c_.roles.joint("hips");
        if (hips < 0 || !skeleton_.is_ancestor(hips, j)) return false;
        const int head = c_.roles.joint("head");
        return head < 0 || !skeleton_.is_ancestor(head, j);
    }

    /// Rings along a line in the world of the aligned rest. Across: the body's left, or what is square to the
    /// line for bones that run to the side.
    void sweep(int j, const Vec3& start, const Vec3& end, const Profile& profile, bool is_unsure) {
        const Vec3 axis = end - start;
        const Vec3 d = axis.normalized();
        const bool runs_aside = std::abs(d.x()) > 0.7;
        // Arms: "wide" is up and down, "deep" fore and aft; trunk and legs: "wide" is left and right.
        Vec3 deep = Vec3::UnitZ() - d * d.z();
        if (deep.norm() < 0.2) deep = Vec3::UnitY() - d * d.y();
        deep.normalize();
        Vec3 wide = deep.cross(d);
        if (runs_aside && wide.y() < 0) wide = -wide;
        rings(j, profile, is_unsure, [&](const Ring& ring) {
            return Section{start + ring.along * axis + ring.ahead * H_ * deep, ring.wide * H_ * wide,
                           ring.deep * H_ * deep};
        });
    }

    struct Section {
        Vec3 centre, wide, deep;
    };

    template <typename Place>
    void rings(int j, const Profile& profile, bool is_unsure, Place&& place) {
        // Smooth profile: three steps between given rings (monotone enough with so few), rounded ends.
        std::vector<Section> sections;
        std::vector<double> along;
        const size_t n = profile.size();
        const auto value = [&](size_t i, double u) {
            const auto get = [&](std::ptrdiff_t k) -> const Ring& {
                return profile[size_t(std::clamp<std::ptrdiff_t>(k, 0, std::ptrdiff_t(n) - 1))];
            };
            const Ring& a = get(std::ptrdiff_t(i) - 1);
            const Ring& b = get(std::ptrdiff_t(i));
            const Ring& c = get(std::ptrdiff_t(i) + 1);
            const Ring& d = get(std::ptrdiff_t(i) + 2);
            const auto spline = [u](double p0, double p1, double p2, double p3) {
                return 0.5 * (2 * p1 + (p2 - p0) * u + (2 * p0 - 5 * p1 + 4 * p2 - p3) * u * u +
                              (3 * p1 - p0 - 3 * p2 + p3) * u * u * u);
            };
            return Ring{b.along + (c.along - b.along) * u, spline(a.wide, b.wide, c.wide, d.wide),
                        spline(a.deep, b.deep, c.deep, d.deep), spline(a.ahead, b.ahead, c.ahead, d.ahead)};
        };
        const auto add = [&](const Ring& ring, double shrink) {
            Section s = place(ring);
            s.wide *= shrink;
            s.deep *= shrink;
            sections.push_back(s);
            along.push_back(ring.along);
        };
        Ring first = profile.front();
        const double cap = 0.6 * std::min(first.wide, first.deep) * H_;
        const Section s0 = place(profile[0]);
        const double length = (place(profile[n - 1]).centre - s0.centre).norm() /
                              std::max(1e-9, profile[n - 1].along - first.along);
        const double cap_along = length > 1e-9 ? cap / length : 0.0;
        for (const double a : {0.02, 0.7}) {
            Ring ring = first;
            ring.along -= cap_along * std::sqrt(1 - a * a);
            add(ring, a);
        }
        for (size_t i = 0; i + 1 < n; ++i)
            for (int k = 0; k < 2; ++k) add(value(i, k / 2.0), 1.0);
        add(profile.back(), 1.0);
        for (const double a : {0.7, 0.02}) {
            Ring ring = profile.back();
            ring.along += cap_along * 0.45 * std::sqrt(1 - a * a);
            add(ring, a);
        }
        shell(j, sections, along, is_unsure);
    }

    void shell(int j, const std::vector<Section>& sections, const std::vector<double>& along,
               bool is_unsure) {
        const unsigned base = unsigned(figure_.vertices.size());
        const Quat to_joint = pose_.R[size_t(j)].conjugate();
        const Vec3& origin = pose_.p[size_t(j)];
        const auto at = [&](size_t s, int side) -> Vec3 {
            const double a = 2 * pi * side / sides_;
            // A little squarer than an ellipse: reads as carved rather than blown up.
            const auto soft = [](double v) { return std::copysign(std::pow(std::abs(v), 0.86), v); };
            return sections[s].centre + soft(std::cos(a)) * sections[s].wide +
                   soft(std::sin(a)) * sections[s].deep;
        };
        for (size_t s = 0; s < sections.size(); ++s)
            for (int side = 0; side < sides_; ++side) {
                const size_t before = s == 0 ? 0 : s - 1;
                const size_t after = std::min(s + 1, sections.size() - 1);
                const Vec3 down = at(after, side) - at(before, side);
                const Vec3 round = at(s, side + 1) - at(s, side - 1);
                Vec3 normal = down.cross(round);
                const Vec3 outward = at(s, side) - sections[s].centre;
                if (s == 0) normal = sections[0].centre - sections[1].centre;
                if (s + 1 == sections.size()) normal = sections[s].centre - sections[s - 1].centre;
                if (s > 0 && s + 1 < sections.size() && normal.dot(outward) < 0) normal = -normal;
                const Vec3 p = to_joint * Vec3(at(s, side) - origin);
                const Vec3 n =
                    to_joint * (normal.norm() > 1e-12 ? Vec3(normal.normalized()) : Vec3(Vec3::UnitY()));
                figure_.vertices.push_back({{float(p.x()), float(p.y()), float(p.z())},
                                            {float(n.x()), float(n.y()), float(n.z())},
                                            float(along[s]),
                                            float(j),
                                            is_unsure ? 1.0f : 0.0f});
            }
        for (unsigned s = 0; s + 1 < sections.size(); ++s)
            for (unsigned side = 0; side < unsigned(sides_); ++side) {
                const unsigned a = base + s * unsigned(sides_) + side;
                const unsigned b = base + s * unsigned(sides_) + (side + 1) % unsigned(sides_);
                const unsigned c = a + unsigned(sides_);
                const unsigned d = b + unsigned(sides_);
                figure_.indices.insert(figure_.indices.end(), {a, b, c, b, d, c});
            }
    }

    void pelvis(int j, bool is_unsure) {
        const int left = c_.roles.joint("thigh.left");
        const int right = c_.roles.joint("thigh.right");
        if (left < 0 || right < 0) return;
        const Vec3 l = pose_.p[size_t(left)];
        const Vec3 r = pose_.p[size_t(right)];
        const double half = 0.5 * (l - r).norm() / H_;
        const Vec3 centre = 0.5 * (l + r);
        // A basin: from below the thigh joints up toward the first spine bone.
        const int spine =
            c_.roles.joint("spine.1") >= 0 ? c_.roles.joint("spine.1") : c_.roles.joint("chest");
        const double top =
            spine >= 0 ? std::max(0.03, (pose_.p[size_t(spine)].y() - centre.y()) / H_ * 0.9) : 0.06;
        const double w = std::max(0.05, half + 0.028);
        const Profile basin{{0.0, w * 0.45, .034},
                            {.2, w * 0.86, .047},
                            {.5, w, .052},
                            {.8, w * 0.92, .048},
                            {1.0, w * 0.7, .036}};
        sweep(j, centre - Vec3(0, 0.035 * H_, 0), centre + Vec3(0, top * H_, 0), basin, is_unsure);
    }

    void head(int j, bool is_unsure) {
        Vec3 end;
        const Vec3 start = pose_.p[size_t(j)];
        double size = 0.12 * H_;
        if (find_bone_end(skeleton_, c_.roles, "head", pose_, end))
            size = std::max(0.6 * size, std::abs(end.y() - start.y()));
        const double k = size / H_;
        const Profile skull{{-.02, k * .20, k * .22, k * .04}, {.12, k * .31, k * .38, k * .08},
                            {.3, k * .38, k * .47, k * .08},   {.55, k * .43, k * .53, k * .03},
                            {.78, k * .41, k * .50, -k * .01}, {.93, k * .32, k * .38, -k * .02},
                            {1.0, k * .23, k * .28, -k * .02}};
        sweep(j, start, start + Vec3(0, size, 0), skull, is_unsure);
        // A nose says where it looks.
        const Vec3 bridge = start + Vec3(0, 0.52 * size, 0.50 * size);
        const Profile nose{{0.0, k * .03, k * .05}, {.6, k * .055, k * .09}, {1.0, k * .05, k * .06}};
        sweep(j, bridge, bridge + Vec3(0, -0.22 * size, 0.08 * size), nose, is_unsure);
    }

    void foot(int j, const std::string& role, bool is_unsure) {
        const Vec3 ankle = pose_.p[size_t(j)];
        Vec3 end;
        if (!find_bone_end(skeleton_, c_.roles, role, pose_, end))
            end = ankle + Vec3(0, -0.03 * H_, 0.1 * H_);
        const double floor = ankle.y() - std::max(0.02 * H_, c_.rest.ankle_height_m);
        Vec3 ahead(end.x() - ankle.x(), 0, end.z() - ankle.z());
        if (ahead.norm() < 1e-6) ahead = Vec3::UnitZ();
        const double length = ahead.norm() / H_;
        ahead.normalize();
        const Vec3 aside(ahead.z(), 0, -ahead.x());
        const double h = (ankle.y() - floor) / H_;
        // From the heel to the ball, a sole that lies on the floor.
        const Profile last{{0.0, .016, h * .42},
                           {.12, .022, h * .52},
                           {.34, .023, h * .62},
                           {.7, .026, h * .40},
                           {1.0, .029, h * .26}};
        const double heel = 0.035;
        const bool has_toe = c_.roles.joint("toe" + std::string(side_suffix(role_side(role)))) >= 0;
        rings(j, last, is_unsure, [&](const Ring& ring) {
            const double s = -heel + ring.along * (heel + (has_toe ? length : length * 0.95));
            return Section{Vec3(ankle.x(), floor + ring.deep * H_, ankle.z()) + s * H_ * ahead,
                           ring.wide * H_ * aside, Vec3(0, ring.deep * H_, 0)};
        });
    }

    void toe(int j, bool is_unsure) {
        const Vec3 ball = pose_.p[size_t(j)];
        Vec3 end;
        Vec3 ahead = Vec3::UnitZ();
        double length = 0.04 * H_;
        for (const EndSite& site : skeleton_.end_sites)
            if (site.joint == j && site.offset_m.norm() > 1e-4) {
                end = pose_.R[size_t(j)] * site.offset_m;
                ahead = Vec3(end.x(), 0, end.z());
                length = std::max(0.02 * H_, ahead.norm());
            }
        if (ahead.norm() < 1e-6) ahead = Vec3::UnitZ();
        ahead.normalize();
        const std::string side(side_suffix(role_side(c_.roles.role_of(j))));
        const int ankle = c_.roles.joint("foot" + side);
        const double floor = ankle >= 0
                                 ? pose_.p[size_t(ankle)].y() - std::max(0.02 * H_, c_.rest.ankle_height_m)
                                 : ball.y() - 0.015 * H_;
        const Vec3 aside(ahead.z(), 0, -ahead.x());
        const Profile tip{{0.0, .029, .0105}, {.4, .029, .0095}, {.8, .023, .0075}, {1.0, .015, .006}};
        rings(j, tip, is_unsure, [&](const Ring& ring) {
            return Section{
                Vec3(ball.x(), floor + ring.deep * H_, ball.z()) + (ring.along * length + 0.004 * H_) * ahead,
                ring.wide * H_ * aside, Vec3(0, ring.deep * H_, 0)};
        });
    }
};

}  // namespace

Figure make_figure(const Character& character) {
    return Builder(character).build();
}

std::vector<BoneSegment> bone_segments(const Character& character) {
    Builder builder(character);
    builder.set_pose();
    std::vector<BoneSegment> result;
    const Skeleton& skeleton = character.rig.skeleton;
    const Pose pose =
        character.rest.R_WJ0.empty() ? rest_pose(skeleton) : Pose{character.rest.R_WJ0, character.rest.p_WJ0};
    for (int j = 0; j < skeleton.size(); ++j) {
        Vec3 end;
        if (!builder.bone_end(j, end)) continue;
        result.push_back(
            {j, pose.R[size_t(j)].conjugate() * Vec3(end - pose.p[size_t(j)]), 0.02 * builder.stature_m()});
    }
    return result;
}

}  // namespace nb
