#include "core/scene/touches.hpp"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "core/base/parallel.hpp"
#include "core/body/measures.hpp"
#include "core/contact/touch_spans.hpp"
#include "core/surface/hand_points.hpp"

namespace nb {

namespace {

constexpr double sure_on_body_m = 0.015;  // at 175 cm
constexpr double sure_on_body_s = 0.3;

/// Points of a hand, seen from its joint: palm and tips, then all over its skin. `named`: how many are the former.
std::vector<Vec3> points_of_hand(const Character& body, const BodySurface& skin, Side side, size_t& named) {
    std::vector<Vec3> points = hand_points(body, skin, side);
    named = std::min<size_t>(points.size(), 2);
    points.resize(named);
    const PartSurface* own = skin.part("hand" + std::string(side_suffix(side)));
    if (points.empty() || !own) return points;
    for (const Vec3& sample : own->samples_F) points.push_back(own->X_JF * sample);
    return points;
}

}  // namespace

std::optional<double> hand_height(const Character& of, const BodySurface& of_skin, const Pose& of_pose,
                                  Side side, const BodySurface& on_skin, const Pose& on_pose) {
    constexpr double far_m = 0.5;
    const int hand = of.roles.joint("hand" + std::string(side_suffix(side)));
    if (hand < 0 || size_t(hand) >= of_pose.p.size()) return {};
    size_t named = 0;
    const std::vector<Vec3> points = points_of_hand(of, of_skin, side, named);
    const Rigid X_WH{of_pose.R[size_t(hand)], of_pose.p[size_t(hand)]};
    double least = far_m;
    for (const PartSurface& part : on_skin.parts) {
        if (size_t(part.joint) >= on_pose.p.size()) continue;
        const Rigid X_PH =
            inverse(part.frame(on_pose.R[size_t(part.joint)], on_pose.p[size_t(part.joint)])) * X_WH;
        for (const Vec3& point : points) {
            const Vec3 u = X_PH * point;
            if (part.at_least_over_there(u) < least) least = std::min(least, part.height(u));
        }
    }
    return least < far_m ? std::optional(least) : std::nullopt;
}

CastSkins skins_of(const Cast& cast, int threads) {
    CastSkins skins;
    skins.marks = hand_marks(*cast.source, *cast.take);
    skins.S = skins.marks.surface.parts.empty() ? surface_of(*cast.source) : skins.marks.surface;
    if (!cast.target->roles.is_four_legged()) skins.T = surface_of(*cast.target);
    skins.source = forward_kinematics(cast.source->rig.skeleton, *cast.take, threads);
    return skins;
}

bool is_one_thing(std::span<const Cast> casts, std::span<const CastSkins> skins, size_t a, int thing_a,
                  size_t b, int thing_b) {
    constexpr double one_place_m = 0.02;
    const Cast &A = casts[a], &B = casts[b];
    if (A.source->rig.skeleton.names[size_t(thing_a)] != B.source->rig.skeleton.names[size_t(thing_b)])
        return false;
    for (const double share : {0.25, 0.5, 0.75}) {
        const double scene_s = A.start_s + share * (A.end_s() - A.start_s);
        const Vec3 off = joint_at(skins[a].source, thing_a, A.take_time_s(scene_s)).p -
                         joint_at(skins[b].source, thing_b, B.take_time_s(scene_s)).p;
        if (off.norm() > one_place_m) return false;
    }
    return true;
}

namespace {

/// Whether a hand holds a thing so much worse than another one does that it only goes along.
bool goes_along_with(const Grip& grip, const Grip& other, bool is_of_one_body) {
    constexpr double farther_m = 0.10, less_steady_m = 0.004;
    const double far_m = grip.on_thing_J.norm(), other_far_m = other.on_thing_J.norm();
    // A body's own two hands may well hold one thing at unlike places.
    if (is_of_one_body)
        return far_m > 2.0 * other_far_m + farther_m && grip.off_m > 8.0 * other.off_m + 0.002;
    return far_m > other_far_m + farther_m &&
           (grip.off_m > other.off_m + less_steady_m || grip.off_m > 3.0 * other.off_m + 0.0005);
}

/// Whether a grip is of a hand that stands by while another, most of the time, holds the same thing.
bool stands_by(std::span<const Cast> casts, std::span<const CastSkins> skins, size_t a, const Grip& grip) {
    constexpr double most_of = 0.5;
    const Cast& A = casts[a];
    for (size_t b = 0; b < casts.size(); ++b) {
        for (const Grip& other : skins[b].marks.grips) {
            if (!goes_along_with(grip, other, a == b)) continue;
            const double first_s = std::max(A.scene_time_s(grip.first), casts[b].scene_time_s(other.first));
            const double last_s = std::min(A.scene_time_s(grip.last), casts[b].scene_time_s(other.last));
            const double whole_s = (grip.last - grip.first) * A.take->frame_time_s;
            if (last_s - first_s >= most_of * whole_s &&
                is_one_thing(casts, skins, a, grip.thing, b, other.thing))
                return true;
        }
    }
    return false;
}

}  // namespace

std::vector<CastSkins> skins_of(std::span<const Cast> casts, int threads) {
    std::vector<CastSkins> skins;
    for (const Cast& cast : casts) skins.push_back(skins_of(cast, threads));
    std::vector<std::pair<size_t, Grip>> let_go;
    for (size_t a = 0; a < casts.size(); ++a)
        if (!casts[a].take->contacts.are_touches_by_hand)
            for (const Grip& grip : skins[a].marks.grips)
                if (stands_by(casts, skins, a, grip)) let_go.emplace_back(a, grip);
    for (const auto& [a, gone] : let_go) {
        const Grip& grip = gone;
        HandMarks& marks = skins[a].marks;
        const std::string& thing = casts[a].source->rig.skeleton.names[size_t(grip.thing)];
        std::erase_if(marks.touches, [&](const Contact& touch) {
            return touch.on == thing &&
                   role_side(touch.point) == (grip.limb == 2 ? Side::left : Side::right) &&
                   touch.first >= grip.first && touch.last <= grip.last;
        });
        std::erase_if(marks.grips, [&](const Grip& one) {
            return one.limb == grip.limb && one.thing == grip.thing && one.first == grip.first;
        });
    }
    return skins;
}

std::vector<BodyTouch> find_body_touches(std::span<const Cast> casts, std::span<const CastSkins> skins) {
    std::vector<BodyTouch> found;
    for (size_t a = 0; a < casts.size(); ++a) {
        const Character& body = *casts[a].source;
        const double tall = stature(body.rig.skeleton, body.roles);
        if (tall <= 0.0 || body.roles.is_four_legged()) continue;
        const double to_reference = reference_stature_m / tall;
        const WorldMotion& motion = skins[a].source;
        for (size_t b = 0; b < casts.size(); ++b) {
            if (a == b) continue;
            const std::vector<PartSurface>& parts = skins[b].S.parts;
            for (const Side side : {Side::left, Side::right}) {
                const std::string suffix(side_suffix(side));
                const int hand = body.roles.joint("hand" + suffix);
                size_t named = 0;
                const std::vector<Vec3> points =
                    hand < 0 ? std::vector<Vec3>() : points_of_hand(body, skins[a].S, side, named);
                if (points.empty()) continue;
                double long_m = 0.0;
                for (const Vec3& point : points) long_m = std::max(long_m, point.norm());
                const auto other_s = [&](int f) { return casts[b].take_time_s(casts[a].scene_time_s(f)); };
                const auto hand_in_part = [&](int part, int f) {
                    const PartSurface& of = parts[size_t(part)];
                    const Rigid X = joint_at(skins[b].source, of.joint, other_s(f));
                    const Rigid H{motion.R[motion.at(f, hand)], motion.p[motion.at(f, hand)]};
                    return inverse(of.frame(X.R, X.p)) * H;
                };
                const auto is_holding = [&](int f) {
                    const std::vector<Grip>& grips = skins[a].marks.grips;
                    return std::any_of(grips.begin(), grips.end(), [&](const Grip& grip) {
                        return grip.limb == (side == Side::left ? 2U : 3U) && f >= grip.first &&
                               f < grip.last;
                    });
                };
                std::vector<Nearest> along(size_t(motion.frames));
                for_each_frame(motion.frames, 0, [&](int from, int to) {
                    for (int f = std::max(from, casts[a].take->first_motion_frame); f < to; ++f) {
                        if (is_holding(f)) continue;
                        Nearest& nearest = along[size_t(f)];
                        double by_named = 1e30;
                        for (int part = 0; part < int(parts.size()); ++part) {
                            const Rigid H = hand_in_part(part, f);
                            const PartSurface& of = parts[size_t(part)];
                            if (of.at_least_over(H.p) - long_m > TouchRules().leave_m / to_reference)
                                continue;
                            double least = 1e30;
                            for (const Vec3& point : points)
                                if (const Vec3 u = H * point;
                                    of.at_least_over_there(u) * to_reference < least)
                                    least = std::min(least, of.height(u) * to_reference);
                            if (least >= TouchRules().leave_m) continue;
                            nearest.h_m = std::min(nearest.h_m, least);
                            for (int point = 0; point < int(named); ++point) {
                                const double h = of.height(H * points[size_t(point)]);
                                if (h >= by_named) continue;
                                by_named = h;
                                nearest.part = part;
                                nearest.point = point;
                            }
                        }
                    }
                });
                const auto place = [&](int part, int point, int f) {
                    return Vec3(to_reference * (hand_in_part(part, f) * points[size_t(point)]));
                };
                for (const TouchSpanFound& span :
                     touch_spans(along, casts[a].take->first_motion_frame, motion.frame_time_s, place)) {
                    const PartSurface& on = parts[size_t(span.part)];
                    found.push_back(
                        {a, b, hand_point_names[size_t(span.point)] + suffix, on.role, span.first, span.last,
                         span.kind,
                         !on.is_from_mesh || span.least_m > sure_on_body_m || span.seconds < sure_on_body_s});
                }
            }
        }
    }
    // Two hands on each other touch while both do.
    for (BodyTouch& a : found)
        for (BodyTouch& b : found) {
            if (a.cast >= b.cast || !are_on_each_other(a, b, casts)) continue;
            const double first_s =
                std::max(casts[a.cast].scene_time_s(a.first), casts[b.cast].scene_time_s(b.first));
            const double last_s =
                std::min(casts[a.cast].scene_time_s(a.last - 1), casts[b.cast].scene_time_s(b.last - 1));
            for (BodyTouch* touch : {&a, &b}) {
                const Cast& cast = casts[touch->cast];
                touch->first = std::max(touch->first, int(cast.frame_near(first_s)));
                touch->last = std::min(touch->last, int(cast.frame_near(last_s)) + 1);
            }
        }
    std::sort(found.begin(), found.end(), [](const BodyTouch& x, const BodyTouch& y) {
        return std::tie(x.cast, x.other, x.point, x.first) < std::tie(y.cast, y.other, y.point, y.first);
    });
    return found;
}

bool are_on_each_other(const BodyTouch& a, const BodyTouch& b, std::span<const Cast> casts) {
    const auto on_hand_of = [](const BodyTouch& on, const BodyTouch& of) {
        const std::string part = role_part(on.on);
        return (part == "hand" || part == "forearm") && role_side(on.on) == role_side(of.point);
    };
    if (a.other != b.cast || b.other != a.cast || !on_hand_of(a, b) || !on_hand_of(b, a)) return false;
    return casts[a.cast].scene_time_s(a.first) < casts[b.cast].scene_time_s(b.last) &&
           casts[b.cast].scene_time_s(b.first) < casts[a.cast].scene_time_s(a.last);
}

}  // namespace nb
