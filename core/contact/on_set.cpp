#include "core/contact/on_set.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.hpp"
#include "core/body/measures.hpp"
#include "core/contact/touch_spans.hpp"
#include "core/surface/hand_points.hpp"

namespace nb {

namespace {

constexpr TouchRules on_set_rules{0.04, 0.05, 0.15};
constexpr double surely_on_s = 0.3;

Rigid frame_of_piece(const SetPiece& piece, const WorldMotion& motion, int f) {
    if (piece.joint < 0) return {};
    return {motion.R[motion.at(f, piece.joint)], motion.p[motion.at(f, piece.joint)]};
}

bool lies(const SetPiece& piece, const WorldMotion& motion, int f, double to_reference) {
    return piece.joint < 0 || !moves_over(motion, piece.joint, f, f + 1, to_reference);
}

}  // namespace

const SetPiece* set_piece(const Take& take, const std::string& name) {
    for (const SetPiece& piece : take.set)
        if (piece.name == name) return &piece;
    return nullptr;
}

std::vector<Contact> find_on_set(const Character& source, const Take& take, const WorldMotion& motion,
                                 const BodySurface& surface, const std::vector<Grip>& grips) {
    std::vector<Contact> found;
    const double tall = stature(source.rig.skeleton, source.roles);
    if (tall <= 0.0 || take.set.empty()) return found;
    const double to_reference = reference_stature_m / tall;
    for (const Side side : {Side::left, Side::right}) {
        const std::string suffix(side_suffix(side));
        const int hand = source.roles.joint("hand" + suffix);
        std::vector<Vec3> points = hand < 0 ? std::vector<Vec3>() : hand_points(source, surface, side);
        if (points.empty()) continue;
        points.resize(std::min<size_t>(points.size(), 2));
        const auto on_piece = [&](int piece, int point, int f) {
            const Rigid X{motion.R[motion.at(f, hand)], motion.p[motion.at(f, hand)]};
            return Vec3(inverse(frame_of_piece(take.set[size_t(piece)], motion, f)) *
                        (X * points[size_t(point)]));
        };
        const auto is_holding = [&](int f) {
            return std::any_of(grips.begin(), grips.end(), [&](const Grip& grip) {
                return grip.limb == (side == Side::left ? 2U : 3U) && f >= grip.first && f < grip.last;
            });
        };
        std::vector<Nearest> along(size_t(motion.frames));
        for_each_frame(motion.frames, 0, [&](int from, int to) {
            for (int f = std::max(from, take.first_motion_frame); f < to; ++f) {
                if (is_holding(f)) continue;
                Nearest& nearest = along[size_t(f)];
                for (int i = 0; i < int(take.set.size()); ++i) {
                    const SetPiece& piece = take.set[size_t(i)];
                    if (!lies(piece, motion, f, to_reference)) continue;
                    for (int point = 0; point < int(points.size()); ++point) {
                        const double beyond = on_set_rules.leave_m / to_reference;
                        const double d = to_reference * piece.distance(on_piece(i, point, f), beyond);
                        if (d < std::min(nearest.h_m, on_set_rules.leave_m)) nearest = {d, i, point};
                    }
                }
            }
        });
        const auto place = [&](int piece, int point, int f) {
            return Vec3(to_reference * on_piece(piece, point, f));
        };
        for (const TouchSpanFound& span :
             touch_spans(along, take.first_motion_frame, motion.frame_time_s, place, on_set_rules)) {
            Contact touch{hand_point_names[size_t(span.point)] + suffix,
                          span.first,
                          span.last,
                          span.kind,
                          0.0,
                          take.set[size_t(span.part)].name};
            touch.is_unsure = span.seconds < surely_on_s;
            found.push_back(std::move(touch));
        }
    }
    return found;
}

std::string nearest_piece(const Character& source, const Take& take, const WorldMotion& motion,
                          const Vec3& point_J, Side side, int frame, double within_m) {
    const int hand = source.roles.joint("hand" + std::string(side_suffix(side)));
    if (hand < 0 || motion.frames == 0) return {};
    const int f = std::clamp(frame, 0, motion.frames - 1);
    const Vec3 p = motion.p[motion.at(f, hand)] + motion.R[motion.at(f, hand)] * point_J;
    std::string name;
    for (const SetPiece& piece : take.set)
        if (const double d = piece.distance(inverse(frame_of_piece(piece, motion, f)) * p, within_m);
            d < within_m) {
            within_m = d;
            name = piece.name;
        }
    return name;
}

}  // namespace nb
