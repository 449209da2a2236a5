#include "core/solve/clear.hpp"

#include <algorithm>
#include <cmath>
#include <memory>
#include <string>

#include "core/body/measures.hpp"
#include "core/solve/body.hpp"
#include "core/solve/near.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

namespace {

constexpr size_t samples_of_hand = 20;  // of the hand's samples
/// Rows of points over a forearm's skin, and how many lie around it.
constexpr std::array<double, 4> slim_rows{0.1, 0.35, 0.6, 0.85};
constexpr int slim_ring_points = 6, most_ring_points = 20;
// Of a body of 175 cm. Forearms in plates or wide sleeves, or beside thighs or a trunk as wide: from what radius on, from point to
// point over them, and so far skin lies off its radii there.
constexpr double wide_from_m = 0.065, wide_thigh_from_m = 0.15, wide_trunk_from_m = 0.2;
constexpr double wide_step_m = 0.05, wide_margin_m = 0.006;

/// Beside a body of 175 cm.
double size_of(const BodySurface& surface) {
    return std::max(0.01, surface.stature_m) / reference_stature_m;
}

bool is_of_leg(const std::string& role) {
    const std::string part = role_part(role);
    return part == "thigh" || part == "shin" || part == "foot";
}

}  // namespace

std::optional<ClearGroup> clear_group_of(const std::string& role) {
    const std::string part = role_part(role);
    const bool is_left = role_side(role) == Side::left;
    if (is_trunk(role)) return ClearGroup::trunk;
    if (part == "head" || part == "neck") return ClearGroup::head;
    if (is_of_leg(role)) return is_left ? ClearGroup::leg_left : ClearGroup::leg_right;
    if (is_of_arm(role, role_side(role))) return ClearGroup::other_arm;
    return {};
}

namespace {

/// Of `touchable_groups`.
std::string_view group_word(ClearGroup group) {
    switch (group) {
        case ClearGroup::trunk:
            return "trunk";
        case ClearGroup::head:
            return "head";
        case ClearGroup::leg_left:
        case ClearGroup::leg_right:
            return "legs";
        case ClearGroup::other_arm:
            return "arms";
    }
    return {};
}

ClearBody body_of(const Character& character, const BodySurface& surface) {
    ClearBody body;
    body.surface = surface;
    for (size_t i = 0; i < surface.parts.size(); ++i)
        if (const auto group = clear_group_of(surface.parts[i].role))
            body.parts.push_back({i, *group, capsule_of(surface.parts[i])});
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const bool is_arm = limb >= 2;
        const Side side = role_side(limb_names[limb]);
        const std::string suffix(side_suffix(side));
        ClearBody::Limb& own = body.limbs[limb];
        for (const std::string role : is_arm ? std::array{"forearm", "hand"} : std::array{"shin", "foot"}) {
            const PartSurface* part = surface.part(role + suffix);
            if (!part) continue;
            ClearBody::Bone& bone = own.bones.emplace_back();
            bone.joint = part->joint;
            bone.is_end = role == "hand" || role == "foot";
            bone.capsule_J = capsule_of(*part);
            if (!is_arm) continue;
            if (bone.is_end) {
                for (size_t k = 0; k < std::min(samples_of_hand, part->samples_F.size()); ++k)
                    bone.points.push_back({part->X_JF * part->samples_F[k], 1.0});
                continue;
            }
            const Vec3 elbow(0.0, 0.0, -part->cap_m[0]);
            bone.points.push_back({part->X_JF * elbow, 0.0});
            const double size = size_of(surface);
            own.is_wide =
                part->mean_radius_m > wide_from_m * size ||
                std::any_of(surface.parts.begin(), surface.parts.end(), [&](const PartSurface& other) {
                    return (other.role == "thigh" + suffix &&
                            other.mean_radius_m > wide_thigh_from_m * size) ||
                           (is_trunk(other.role) && other.mean_radius_m > wide_trunk_from_m * size);
                });
            int ring_points = slim_ring_points;
            std::vector<double> rows(slim_rows.begin(), slim_rows.end());
            if (own.is_wide) {
                const double step = wide_step_m * size;
                ring_points =
                    std::min(int(std::ceil(2.0 * pi * part->mean_radius_m / step)), most_ring_points);
                rows.resize(1 + size_t(std::max(4.0, std::ceil(part->length_m / step))));
                for (size_t row = 0; row < rows.size(); ++row)
                    rows[row] = double(row) / double(rows.size() - 1);
            }
            for (const double s : rows)
                for (int k = 0; k < ring_points; ++k)
                    bone.points.push_back(
                        {part->X_JF * part->point({s, 2.0 * pi * k / ring_points, 0.0, 0.0}), s});
        }
        for (ClearBody::Bone& bone : own.bones) {
            for (const ClearBody::SkinPoint& point : bone.points)
                bone.middle_J += point.at_J / double(bone.points.size());
            for (const ClearBody::SkinPoint& point : bone.points)
                bone.around_m = std::max(bone.around_m, (point.at_J - bone.middle_J).norm());
        }
        own.tip = character.roles.joint((is_arm ? "hand" : "foot") + suffix);
        if (own.tip < 0) own.bones.clear();
        if (own.bones.empty()) continue;
        const RestAlignment& rest = rest_of_skin(character);
        const auto place = [&](int joint, const Vec3& p_J) {
            return Vec3(rest.p_WJ0[size_t(joint)] + rest.R_WJ0[size_t(joint)] * p_J);
        };
        for (const ClearBody::Bone& bone : own.bones)
            for (const ClearBody::SkinPoint& point : bone.points)
                own.long_m = std::max(own.long_m,
                                      (place(bone.joint, point.at_J) - rest.p_WJ0[size_t(own.tip)]).norm());
        for (size_t i = 0; i < body.parts.size(); ++i) {
            const std::string& role = body.role(body.parts[i]);
            const bool is_alike = is_arm ? body.parts[i].group == ClearGroup::other_arm : is_of_leg(role);
            if (is_alike && role_side(role) != side) own.by_capsule.push_back(i);
            if (is_arm && !is_alike) own.by_skin.push_back(i);
        }
    }
    return body;
}

}  // namespace

void compile_clear(const PairedBodies& bodies, const BodySurface& S_surface, const BodySurface& T_surface,
                   Program& program) {
    if (bodies.S.roles.is_four_legged() || bodies.T.roles.is_four_legged() || S_surface.parts.empty() ||
        !T_surface.is_from_mesh)
        return;
    auto clear = std::make_shared<ClearProgram>();
    clear->S = body_of(bodies.S, S_surface);
    clear->T = body_of(bodies.T, T_surface);
    clear->by_stature = T_surface.stature_m / std::max(0.01, S_surface.stature_m);
    clear->size = size_of(T_surface);
    // A limb is moved by what reaches.
    for (size_t limb = 0; limb < limb_count; ++limb)
        if (std::none_of(program.limbs.begin(), program.limbs.end(),
                         [&](const LimbOp& op) { return op.limb == limb; }))
            clear->T.limbs[limb].bones.clear();
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const ChainSettings& set = bodies.set(limb_names[limb]);
        clear->margin_m[limb] =
            set.margin_m.value_or(clear->T.limbs[limb].is_wide ? wide_margin_m * clear->size : 0.0);
        if (!set.may_touch) continue;
        const auto may_touch = [&, &words = *set.may_touch](size_t part) {
            return std::find(words.begin(), words.end(), group_word(clear->T.parts[part].group)) !=
                   words.end();
        };
        std::erase_if(clear->T.limbs[limb].by_skin, may_touch);
        std::erase_if(clear->T.limbs[limb].by_capsule, may_touch);
    }
    const Pose rest = aligned_pose(rest_of_skin(bodies.T));
    std::vector<ClearHeight> found;
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const double margin = clear->margin_m[limb];
        clear->at_rest_m[limb].fill(margin);
        heights_under(clear->T, limb, {rest.R, rest.p}, margin, found);
        for (const ClearHeight& height : found) {
            double& least = clear->at_rest_m[limb][size_t(clear->T.parts[height.part].group)];
            least = std::min(least, height.height_m);
        }
    }
    program.clear = std::move(clear);
}

namespace {

/// Of every ring of a limb's points the lowest over a part, where that is under `below_m`.
template <typename Found>
void points_under(const ClearBody::Limb& limb, const SourceFrame& frame, const PartSurface& part,
                  const Rigid& X_FW, double below_m, const Found& found) {
    if (part.at_least_over(X_FW * frame.p[size_t(limb.tip)]) > below_m + limb.long_m) return;
    for (size_t b = 0; b < limb.bones.size(); ++b) {
        const ClearBody::Bone& bone = limb.bones[b];
        const Rigid X_FJ = X_FW * Rigid{frame.R[size_t(bone.joint)], frame.p[size_t(bone.joint)]};
        if (part.at_least_over(X_FJ * bone.middle_J) > below_m + bone.around_m) continue;
        const Mat3 R = X_FJ.R.toRotationMatrix();
        const ClearBody::SkinPoint* lowest = nullptr;
        double least = below_m;
        for (size_t k = 0; k < bone.points.size(); ++k) {
            const ClearBody::SkinPoint& point = bone.points[k];
            const Vec3 u = R * point.at_J + X_FJ.p;
            if (part.at_least_over_there(u) < least)
                if (const double height = part.height(u); height < least) {
                    least = height;
                    lowest = &point;
                }
            if (k + 1 < bone.points.size() && bone.points[k + 1].along == point.along) continue;
            if (lowest) found(b, *lowest, least);
            lowest = nullptr;
            least = below_m;
        }
    }
}

}  // namespace

void heights_over(const ClearBody::Limb& limb, const SourceFrame& frame, const PartSurface& over,
                  const Rigid& X_WF, double below_m, size_t part, std::vector<ClearHeight>& found) {
    if (limb.bones.empty()) return;
    const Rigid X_FW = inverse(X_WF);
    points_under(limb, frame, over, X_FW, below_m,
                 [&](size_t b, const ClearBody::SkinPoint& lowest, double least) {
                     const size_t joint = size_t(limb.bones[b].joint);
                     const Vec3 at = Rigid{frame.R[joint], frame.p[joint]} * lowest.at_J;
                     const Vec3 out = X_WF.R * Vec3(over.lie(over.place(X_FW * at)).col(0));
                     found.push_back({b, part, least, lowest.along, at, out, false});
                 });
}

void heights_under(const ClearBody& body, size_t limb, const SourceFrame& frame, double below_m,
                   std::vector<ClearHeight>& found) {
    found.clear();
    const ClearBody::Limb& own = body.limbs[limb];
    if (own.bones.empty()) return;
    const auto at = [&](int joint) { return Rigid{frame.R[size_t(joint)], frame.p[size_t(joint)]}; };
    for (const size_t i : own.by_skin) {
        const PartSurface& part = body.surface.parts[body.parts[i].surface];
        const Rigid X_FW = inverse(part.frame(frame.R[size_t(part.joint)], frame.p[size_t(part.joint)]));
        points_under(own, frame, part, X_FW, below_m,
                     [&](size_t bone, const ClearBody::SkinPoint& lowest, double least) {
                         found.push_back({bone, i, least, lowest.along,
                                          at(own.bones[bone].joint) * lowest.at_J, Vec3::UnitY(), false});
                     });
    }
    for (size_t b = 0; b < own.bones.size(); ++b) {
        const Capsule bone = at(own.bones[b].joint) * own.bones[b].capsule_J;
        for (const size_t i : own.by_capsule) {
            const Capsule& part_J = body.parts[i].capsule_J;
            const Vec3 middle = at(body.joint(body.parts[i])) * part_J.middle();
            const double near = std::max(0.0, below_m + bone.around_m() + part_J.around_m());
            if ((middle - bone.middle()).squaredNorm() > near * near) continue;
            const Capsule other = at(body.joint(body.parts[i])) * part_J;
            if (at_least_apart(bone, other) >= below_m) continue;
            const CapsuleGap gap = gap_between(bone, other);
            if (gap.height_m < below_m)
                found.push_back(
                    {b, i, gap.height_m, own.bones[b].is_end ? 1.0 : gap.t, bone.at(gap.t), gap.out, true});
        }
    }
}

Vec3 skin_normal(const ClearBody& body, const ClearHeight& height, const SourceFrame& frame) {
    const PartSurface& part = body.surface.parts[body.parts[height.part].surface];
    const Rigid X = part.frame(frame.R[size_t(part.joint)], frame.p[size_t(part.joint)]);
    return X.R * Vec3(part.lie(part.place(inverse(X) * height.at)).col(0));
}

bool clears(const Program& program) {
    return program.passes.clear && program.passes.reach && program.clear != nullptr;
}

double clear_turn_rad(const LimbClear& clear, double length_m) {
    // A quarter of the limb: as far as a bent elbow stands off.
    return most_clear_turn_rad * std::tanh(clear.aside_m / (0.25 * length_m * most_clear_turn_rad));
}

namespace {

bool has_clear(const Program& program, const FrameCorrection* held) {
    return clears(program) && held && held->has_clear;
}

}  // namespace

void clear_holding(const Program& program, const SourceFrame& source, TargetFrame& target,
                   const FrameCorrection* held) {
    if (!has_clear(program, held)) return;
    for (const LimbOp& limb : program.limbs) {
        const Vec3& by = held->clear[limb.limb].by_m;
        if (by != Vec3::Zero() && holds_thing(program, limb.limb, source.t_s))
            bring_arm(program, limb, by, source, target);
    }
}

void pass_clear(const Program& program, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held) {
    if (!has_clear(program, held)) return;
    for (const LimbOp& limb : program.limbs) {
        const LimbClear& clear = held->clear[limb.limb];
        if (clear.is_none()) continue;
        const Vec3 start = target.p[size_t(limb.T_start)];
        const Vec3 tip = target.p[size_t(limb.T_tip)];
        const double length =
            (target.p[size_t(limb.T_mid)] - start).norm() + (tip - target.p[size_t(limb.T_mid)]).norm();
        if (length < 1e-6 || (tip - start).norm() < 1e-6) continue;
        const Quat turn = exp_rotation(clear_turn_rad(clear, length) * (tip - start).normalized());
        turn_joint(target, limb.T_start, turn);
        turn_joint(target, limb.T_mid, turn);
        follow_below(program, source, target, limb.T_start);
        if (limb.limb >= 2) {
            if (!holds_thing(program, limb.limb, source.t_s))
                bring_arm(program, limb, clear.by_m, source, target);
        } else if (clear.by_m != Vec3::Zero()) {
            move_tip(program, limb, clear.by_m, source, target);
            follow_below(program, source, target, limb.T_start);
        }
    }
}

}  // namespace nb
