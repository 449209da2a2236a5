#include "core/surface/surface.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include <Eigen/Core>

#include "core/body/carried.hpp"
#include "core/body/measures.hpp"
#include "core/math/at_share.hpp"
#include "core/math/quick_atan2.hpp"
#include "core/motion/heading.hpp"
#include "core/rest/evidence.hpp"
#include "core/surface/breadths.hpp"
#include "core/surface/rays.hpp"

namespace nb {

namespace {

constexpr double end_percentile = 0.95;
// Of stature; head from the chin up, hand from the wrist (Drillis & Contini, in Winter; from memory).
constexpr double head_share = 0.13, hand_share = 0.108;
constexpr size_t least_points = 12;  // vertices by which a part's ends are read

/// Catmull-Rom: by how much each of four values a cell apart counts, u from the second to the third.
struct Shares {
    double a, b, c, d;
};
Shares shares_between(double u) {
    const double u2 = u * u, u3 = u2 * u;
    return {u2 - 0.5 * (u + u3), 1.0 - 2.5 * u2 + 1.5 * u3, 0.5 * u + 2.0 * u2 - 1.5 * u3, 0.5 * (u3 - u2)};
}

/// The row `beside` rows from `r`. Mirrored past the first and last: level there, so that ends go on without a kink.
size_t row_beside(int r, int beside) {
    const int at = r + beside;
    return size_t(at < 0 ? 1 : at >= PartSurface::rows ? PartSurface::rows - 2 : at);
}

}  // namespace

double PartSurface::radius(double s, double phi) const {
    const auto [r, past] = row_of(s);
    double column = phi * (columns / (2.0 * pi)) - 0.5;
    if (column < -columns || column >= columns) column -= columns * std::floor(column / columns);
    if (column < 0.0) column += columns;
    const int c = std::min(int(column), columns - 1);
    const Shares row = shares_between(past), at = shares_between(column - c);
    const auto line = [&, from = &around_m[size_t(r)][size_t(c)]](size_t i) {
        return Eigen::Map<const Eigen::Array4d>(from + i * around_m[0].size());
    };
    const Eigen::Array4d v = (row.a * line(0) + row.b * line(1)) + (row.c * line(2) + row.d * line(3));
    return (at.a * v[0] + at.b * v[1]) + (at.c * v[2] + at.d * v[3]);
}

namespace {

/// Radius of the half-ellipsoid at an end, along a ray that lies `cap` past it.
double cap_radius(double r, double depth, double cap) {
    const double c = std::cos(cap) / r;
    const double d = std::sin(cap) / depth;
    return 1.0 / std::sqrt(c * c + d * d);
}

}  // namespace

SurfacePlace PartSurface::place(const Vec3& u_F) const {
    SurfacePlace place;
    const double rho = u_F.head<2>().norm();
    place.phi = quick_atan2(u_F.y(), u_F.x());
    place.s = std::clamp(u_F.z() / length_m, 0.0, 1.0);
    const double r = radius(place.s, place.phi);
    const double beyond = std::max(-u_F.z(), u_F.z() - length_m);
    if (beyond <= 0.0) {
        place.h = rho - r;
        return place;
    }
    place.cap = std::atan2(beyond, rho);
    place.h = std::sqrt(rho * rho + beyond * beyond) - cap_radius(r, cap_m[place.s > 0.5 ? 1 : 0], place.cap);
    return place;
}

double PartSurface::height(const Vec3& u_F) const {
    const double rho = u_F.head<2>().norm();
    const double r = radius(std::clamp(u_F.z() / length_m, 0.0, 1.0), quick_atan2(u_F.y(), u_F.x()));
    const double beyond = std::max(-u_F.z(), u_F.z() - length_m);
    if (beyond <= 0.0) return rho - r;
    // `cap_radius` by the sides of the angle.
    const double d = cap_m[u_F.z() > 0.5 * length_m ? 1 : 0];
    const double away = std::sqrt(rho * rho + beyond * beyond);
    const double over_r = rho / r, over_d = beyond / d;
    return away - away / std::sqrt(over_r * over_r + over_d * over_d);
}

Vec3 PartSurface::point(const SurfacePlace& place) const {
    double over = radius(place.s, place.phi);
    if (place.cap > 0.0) over = cap_radius(over, cap_m[place.s > 0.5 ? 1 : 0], place.cap);
    over += place.h;
    const double rho = over * std::cos(place.cap);
    const double beyond = over * std::sin(place.cap);
    return {rho * std::cos(place.phi), rho * std::sin(place.phi),
            place.s * length_m + (place.s > 0.5 ? beyond : -beyond)};
}

Mat3 PartSurface::lie(const SurfacePlace& place) const {
    // Of the heights beside it: the gradient points out of the skin.
    constexpr double step_m = 0.025;  // wide: what a hand lies on, no button or crease
    const Vec3 at = point(place);
    Vec3 out;
    for (int i = 0; i < 3; ++i) {
        Vec3 beside = at;
        beside[i] += step_m;
        const double above = height(beside);
        beside[i] -= 2.0 * step_m;
        out[i] = above - height(beside);
    }
    if (out.norm() < 1e-9) out = Vec3(std::cos(place.phi), std::sin(place.phi), 0.0);
    return frame_from(out, Vec3(-std::sin(place.phi), std::cos(place.phi), 0.0));
}

void PartSurface::sum_up() {
    for (int r = 0; r < int(around_m.size()); ++r)
        for (int c = 0; c < int(around_m[0].size()); ++c)
            around_m[size_t(r)][size_t(c)] =
                radius_m[row_beside(r - 1, 0)][size_t((c + columns - 1) % columns)];
    // Between cells a cubic may go over.
    constexpr double goes_over = 1.1;
    double sum = 0.0;
    widest_m = std::max(cap_m[0], cap_m[1]);
    for (const auto& line : radius_m)
        for (const double r : line) {
            sum += r;
            widest_m = std::max(widest_m, r);
        }
    mean_radius_m = sum / (rows * columns);
    widest_m *= goes_over;
    std::array<std::array<double, 8>, rows> of_row{};
    for (int c = 0; c < columns; ++c)
        // What lies between this column's neighbours takes its radius, too.
        for (const double by : {-2.0, -1.0, 0.0, 1.0, 2.0}) {
            const double phi = (c + 0.5 + by) * 2.0 * pi / columns;
            const size_t eighth = eighth_of(std::cos(phi), std::sin(phi));
            for (size_t r = 0; r < of_row.size(); ++r)
                of_row[r][eighth] = std::max(of_row[r][eighth], goes_over * radius_m[r][size_t(c)]);
        }
    for (int r = 0; r + 1 < rows; ++r)
        for (size_t eighth = 0; eighth < 8; ++eighth)
            for (const int beside : {-1, 0, 1, 2})
                widest_there_m[size_t(r)][eighth] =
                    std::max(widest_there_m[size_t(r)][eighth], of_row[row_beside(r, beside)][eighth]);
}

bool is_trunk(std::string_view role) {
    return role == "hips" || role == "chest" || role_part(role) == "spine";
}

bool is_of_arm(std::string_view role, Side side) {
    const std::string part = role_part(role);
    return (part == "upperarm" || part == "forearm" || part == "hand") && role_side(role) == side;
}

const PartSurface* BodySurface::part(std::string_view role) const {
    for (const PartSurface& one : parts)
        if (one.role == role) return &one;
    return nullptr;
}

namespace {

/// Trunk, head and foot have much of their skin past the ends of their bone.
bool goes_on_past_its_bone(const std::string& role) {
    return is_trunk(role) || role == "head" || role_part(role) == "foot";
}

/// The part's length is that of its skin, from end to end.
void take_in(PartSurface& part, std::vector<Vec3>& points_F) {
    constexpr double left_out = 0.03;
    if (points_F.size() < least_points) return;
    std::vector<double> along;
    along.reserve(points_F.size());
    for (const Vec3& u : points_F) along.push_back(u.z());
    const double from = std::min(0.0, at_share(along, left_out));
    const double skin_to = at_share(along, 1.0 - left_out);
    // A head's bone may go on far above its skull.
    const bool is_above =
        part.role == "head" && skin_to > 0.3 * part.length_m && skin_to < 0.85 * part.length_m;
    const double to = is_above ? skin_to : std::max(part.length_m, skin_to);
    part.X_JF.p += part.X_JF.R * Vec3(0.0, 0.0, from);
    part.length_m = to - from;
    part.before_m = -from;
    for (Vec3& u : points_F) u.z() -= from;
}

/// Radii of a part by its triangles; how deep its ends are, by its vertices. Both in its frame. False with too few.
bool read_mesh(PartSurface& part, const std::vector<Vec3>& points_F,
               const std::vector<SkinTriangle>& triangles_F) {
    const auto radii = radii_of(triangles_F, part.length_m);
    if (!radii) return false;
    part.radius_m = *radii;
    std::array<std::vector<double>, 2> beyond;
    for (const Vec3& u : points_F)
        if (u.z() < 0.0 || u.z() > part.length_m)
            beyond[u.z() < 0.0 ? 0 : 1].push_back(u.z() < 0.0 ? -u.z() : u.z() - part.length_m);
    for (size_t end = 0; end < 2; ++end) {
        const auto& row = part.radius_m[end == 0 ? 0 : PartSurface::rows - 1];
        double mean = 0.0;
        for (const double r : row) mean += r / PartSurface::columns;
        part.cap_m[end] = 0.3 * mean;
        if (!beyond[end].empty())
            part.cap_m[end] = std::max(part.cap_m[end], at_share(beyond[end], end_percentile));
    }
    part.is_from_mesh = true;
    return true;
}

/// Radii of another body's part of the same role, of that body's stature.
bool read_skin(PartSurface& part, const BodySurface* skin, double stature_m) {
    const PartSurface* as = skin ? skin->part(part.role) : nullptr;
    if (!as || !as->is_from_mesh || skin->stature_m <= 0.0) return false;
    const double k = stature_m / skin->stature_m;
    part.radius_m = as->radius_m;
    for (auto& row : part.radius_m)
        for (double& r : row) r *= k;
    for (size_t end = 0; end < 2; ++end) part.cap_m[end] = k * as->cap_m[end];
    if (goes_on_past_its_bone(part.role)) {
        part.X_JF.p += part.X_JF.R * Vec3(0.0, 0.0, -k * as->before_m);
        part.length_m = k * as->length_m;
    }
    part.is_from_mesh = true;
    return true;
}

/// How thick people are there; null for a role that is no part.
const PartBreadth* breadth_of(std::string_view role) {
    const std::string name = role_part(role);
    for (const PartBreadth& one : part_breadths)
        if (one.part == name) return &one;
    return nullptr;
}

void read_breadths(PartSurface& part, double stature_m) {
    const PartBreadth* row = breadth_of(part.role);
    for (int r = 0; r < PartSurface::rows; ++r) {
        const double s = (r + 0.5) / PartSurface::rows;
        const double a = stature_m * (row->depth0 + s * (row->depth1 - row->depth0));
        const double b = stature_m * (row->breadth0 + s * (row->breadth1 - row->breadth0));
        for (int c = 0; c < PartSurface::columns; ++c) {
            const double phi = (c + 0.5) * 2.0 * pi / PartSurface::columns;
            part.radius_m[size_t(r)][size_t(c)] = a * b / std::hypot(b * std::cos(phi), a * std::sin(phi));
        }
    }
    for (size_t end = 0; end < 2; ++end) {
        const auto& line = part.radius_m[end == 0 ? 0 : PartSurface::rows - 1];
        part.cap_m[end] = *std::min_element(line.begin(), line.end());
    }
}

/// Each place once, in an order of their own: what writes a mesh anew splits its vertices and orders them otherwise.
void keep_distinct(std::vector<Vec3>& points) {
    constexpr double same_m = 1e-4;
    struct Keyed {
        std::array<long, 3> key;
        Vec3 p;
    };
    std::vector<Keyed> sorted;
    sorted.reserve(points.size());
    for (const Vec3& p : points)
        sorted.push_back(
            {{std::lround(p.x() / same_m), std::lround(p.y() / same_m), std::lround(p.z() / same_m)}, p});
    std::sort(sorted.begin(), sorted.end(), [](const Keyed& a, const Keyed& b) { return a.key < b.key; });
    points.clear();
    for (size_t i = 0; i < sorted.size(); ++i)
        if (i == 0 || sorted[i].key != sorted[i - 1].key) points.push_back(sorted[i].p);
}

/// Points as far from each other as can be (Gonzalez 1985, from memory), from the one nearest to their middle.
std::vector<Vec3> spread_over(const std::vector<Vec3>& points, size_t most) {
    std::vector<Vec3> chosen;
    if (points.empty()) return chosen;
    std::vector<double> apart(points.size(), 1e30);
    Vec3 middle = Vec3::Zero();
    for (const Vec3& p : points) middle += p / double(points.size());
    size_t next = 0;
    for (size_t i = 1; i < points.size(); ++i)
        if ((points[i] - middle).norm() < (points[next] - middle).norm() - 1e-9) next = i;
    while (chosen.size() < std::min(most, points.size())) {
        chosen.push_back(points[next]);
        for (size_t i = 0; i < points.size(); ++i)
            apart[i] = std::min(apart[i], (points[i] - chosen.back()).squaredNorm());
        next = size_t(std::max_element(apart.begin(), apart.end()) - apart.begin());
    }
    return chosen;
}

struct PartBone {
    Vec3 start, end;
    bool is_open = false;  ///< where it ends no joint says: its skin does
};

/// Where a part's bone begins and ends at the aligned rest; empty when it has no length.
std::optional<PartBone> bone_of(const Character& body, const std::string& role, const Pose& pose) {
    const RoleMap& roles = body.roles;
    const auto place = [&](std::string_view other) -> std::optional<Vec3> {
        const int j = roles.joint(other);
        return j < 0 ? std::nullopt : std::optional<Vec3>(pose.p[size_t(j)]);
    };
    Vec3 start = *place(role);
    Vec3 end;
    const std::string part = role_part(role);
    const std::string side(side_suffix(role_side(role)));
    const auto to_first = [&](const std::vector<std::string>& others) {
        for (const std::string& other : others)
            if (const auto p = place(other); p && (*p - start).norm() > 1e-3) {
                end = *p;
                return true;
            }
        return false;
    };
    bool is_there = false, is_open = false;
    if (role == "hips") {
        const BodyLines lines{roles.joint("thigh.left"), roles.joint("thigh.right"), -1, -1};
        if (lines.thigh_left >= 0 && lines.thigh_right >= 0) start = hip_centre(pose.p, lines);
        is_there = to_first({"spine.1", "spine.2", "chest", "neck.1", "head"});
    } else if (role == "chest") {
        is_there = to_first({"neck.1", "neck.2", "head"});
    } else if (part == "hand") {
        // To the finger tips.
        is_there = find_bone_end(body.rig.skeleton, roles, role, pose, end);
        Vec3 tip;
        for (const auto* finger : {"middle.3", "index.3", "middle.2", "index.2"})
            if (is_there && place(finger + side) &&
                find_bone_end(body.rig.skeleton, roles, finger + side, pose, tip)) {
                end = tip;
                break;
            }
    } else {
        is_there = find_bone_end(body.rig.skeleton, roles, role, pose, end);
        if (!is_there && part == "spine") is_there = to_first({"chest", "neck.1", "head"});
    }
    // The last bone of a limb or of the neck may end nowhere: as its parent goes on, as long as people's are.
    if (!is_there && (part == "hand" || role == "head")) {
        const int j = roles.joint(roles.parent_role(role));
        const Vec3 along = j < 0 ? Vec3::Zero() : Vec3(start - pose.p[size_t(j)]);
        is_there = is_open = along.norm() > 1e-3;
        const double share = role == "head" ? head_share : hand_share;
        if (is_there) end = start + share * stature(body.rig.skeleton, roles) * along.normalized();
    }
    if (!is_there || (end - start).norm() < 1e-3) return {};
    return PartBone{start, end, is_open};
}

/// What of a hand, or of a forearm toward the wrist, may touch: of its mesh, else of the skin its document names, else all
/// over its radii.
void sample(PartSurface& part, const std::vector<Vec3>& points_F, const BodySurface* skin, double stature_m) {
    const bool is_hand = role_part(part.role) == "hand";
    std::vector<Vec3> toward_end;
    for (const Vec3& u : points_F)
        if (is_hand || u.z() > 0.5 * part.length_m) toward_end.push_back(u);
    part.samples_F =
        spread_over(toward_end, is_hand ? PartSurface::most_samples : PartSurface::most_samples / 2);
    const PartSurface* as = skin ? skin->part(part.role) : nullptr;
    if (part.samples_F.size() >= least_points) return;
    part.samples_F.clear();
    if (as && skin->stature_m > 0.0)
        for (const Vec3& u : as->samples_F) part.samples_F.push_back(stature_m / skin->stature_m * u);
    if (!part.samples_F.empty()) return;
    for (const double s : {0.55, 0.75, 0.95, 0.15, 0.35}) {
        if (!is_hand && s < 0.5) break;
        for (int k = 0; k < 8; ++k) part.samples_F.push_back(part.point({s, 2.0 * pi * k / 8.0, 0.0, 0.0}));
    }
}

/// A triangle of the skin, world, and the parts its corners go with.
struct PlacedTriangle {
    SkinTriangle at_W;
    std::array<int, 3> parts;
};

struct PlacedSkin {
    std::vector<std::vector<Vec3>> points_F;  ///< by part, in its frame
    std::vector<PlacedTriangle> triangles;
};

PlacedSkin place_skin(const Rig& rig, const Pose& pose, const std::vector<PartSurface>& parts,
                      const std::vector<int>& part_of) {
    PlacedSkin placed;
    placed.points_F.resize(parts.size());
    std::vector<Rigid> X_FW;
    X_FW.reserve(parts.size());
    for (const PartSurface& part : parts)
        X_FW.push_back(inverse(part.frame(pose.R[size_t(part.joint)], pose.p[size_t(part.joint)])));
    for (const Mesh& mesh : rig.meshes) {
        const std::vector<Vec3> skin = skin_vertices(mesh, pose);
        std::vector<int> of_vertex(skin.size(), -1);
        for (size_t v = 0; v < skin.size(); ++v) {
            const int joint = carries_most(mesh, v);
            const int part = joint < 0 ? -1 : part_of[size_t(joint)];
            of_vertex[v] = part;
            if (part >= 0) placed.points_F[size_t(part)].push_back(X_FW[size_t(part)] * skin[v]);
        }
        for (size_t i = 0; i + 2 < mesh.indices.size(); i += 3) {
            const std::array<size_t, 3> v{mesh.indices[i], mesh.indices[i + 1], mesh.indices[i + 2]};
            placed.triangles.push_back(
                {{skin[v[0]], skin[v[1]], skin[v[2]]}, {of_vertex[v[0]], of_vertex[v[1]], of_vertex[v[2]]}});
        }
    }
    return placed;
}

/// What lies about a part's bone, in its frame. The trunk is one shell, whatever carries it: a coat's skirt goes with the
/// thighs and lies on the hips.
std::vector<SkinTriangle> triangles_about(const std::vector<PartSurface>& parts, size_t index,
                                          const Pose& pose, const std::vector<PlacedTriangle>& skin) {
    const PartSurface& part = parts[index];
    const Rigid X_FW = inverse(part.frame(pose.R[size_t(part.joint)], pose.p[size_t(part.joint)]));
    std::vector<char> is_about(parts.size(), 0);
    for (size_t i = 0; i < parts.size(); ++i)
        is_about[i] = i == index || (is_trunk(part.role) &&
                                     (is_trunk(parts[i].role) || role_part(parts[i].role) == "thigh"));
    std::vector<SkinTriangle> about;
    for (const PlacedTriangle& one : skin)
        if (std::any_of(one.parts.begin(), one.parts.end(),
                        [&](int corner) { return corner >= 0 && is_about[size_t(corner)]; }))
            about.push_back({X_FW * one.at_W[0], X_FW * one.at_W[1], X_FW * one.at_W[2]});
    return about;
}

}  // namespace

const RestAlignment& rest_of_skin(const Character& character) {
    const RestAlignment& own = character.rest;
    const bool is_t =
        own.is_of_stance && own.stance.kind == Stance::Kind::arms && own.stance.arms_down_rad == 0.0;
    return is_t || !own.is_there() || !character.solved.is_there() ? own : character.solved;
}

BodySurface surface_of(const Character& character) {
    BodySurface body;
    const RestAlignment& rest = rest_of_skin(character);
    const RoleMap& roles = character.roles;
    if (!rest.is_there() || roles.joint("hips") < 0) return body;
    const Pose pose = aligned_pose(rest);
    // Limbs in pieces hang together as they are carried.
    const Skeleton skeleton = carried_skeleton(character.rig.skeleton, roles);
    std::vector<int> part_of(size_t(skeleton.size()), -1);
    std::vector<char> is_open;
    for (const RoleFill& fill : roles.fills) {
        if (fill.joint < 0 || !breadth_of(fill.role)) continue;
        const auto bone = bone_of(character, fill.role, pose);
        if (!bone) continue;
        PartSurface part;
        part.role = fill.role;
        part.joint = fill.joint;
        const Vec3 along = bone->end - bone->start;
        part.length_m = along.norm();
        const Vec3 z = along / part.length_m;
        const Vec3 faces =
            std::abs(z.z()) > 0.8 || role_part(fill.role) == "foot" ? Vec3::UnitY() : Vec3::UnitZ();
        const Vec3 x = (faces - faces.dot(z) * z).normalized();
        Mat3 F;
        F << x, z.cross(x), z;
        part.X_JF = inverse(Rigid{pose.R[size_t(fill.joint)], pose.p[size_t(fill.joint)]}) *
                    Rigid{Quat(F), bone->start};
        part_of[size_t(fill.joint)] = int(body.parts.size());
        body.parts.push_back(std::move(part));
        is_open.push_back(bone->is_open);
    }
    const std::vector<char> is_thing = thing_joints(skeleton, roles);
    for (int j = 0; j < skeleton.size(); ++j) {
        const int above = skeleton.parents[size_t(j)];
        if (part_of[size_t(j)] < 0 && above >= 0 && !is_thing[size_t(j)])
            part_of[size_t(j)] = part_of[size_t(above)];
    }
    PlacedSkin skin = place_skin(character.rig, pose, body.parts, part_of);
    std::vector<std::vector<Vec3>>& points = skin.points_F;
    for (std::vector<Vec3>& own : points) keep_distinct(own);
    for (size_t i = 0; i < body.parts.size(); ++i)
        if (is_open[i] || goes_on_past_its_bone(body.parts[i].role)) take_in(body.parts[i], points[i]);
    const double tall = body.stature_m = stature(skeleton, roles);
    const bool is_bare = character.rig.meshes.empty();
    const BodySurface* own = is_bare && character.skin ? &character.skin->get() : nullptr;
    for (size_t i = 0; i < body.parts.size(); ++i) {
        PartSurface& part = body.parts[i];
        if (!read_mesh(part, points[i], triangles_about(body.parts, i, pose, skin.triangles)) &&
            !read_skin(part, own, tall))
            read_breadths(part, tall);
        part.sum_up();
        if (const std::string kind = role_part(part.role); kind == "hand" || kind == "forearm")
            sample(part, points[i], own, tall);
        body.is_from_mesh = body.is_from_mesh || part.is_from_mesh;
    }
    // Of a body with a mesh a bone without skin of its own lies inside what others carry.
    if (body.is_from_mesh)
        std::erase_if(body.parts, [](const PartSurface& part) { return !part.is_from_mesh; });
    return body;
}

}  // namespace nb
