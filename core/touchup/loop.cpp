#include "core/touchup/loop.hpp"

#include <algorithm>
#include <cmath>

#include "core/math/hermite.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

constexpr int least_frames = 5;

/// What is added along the blend.
struct Closing {
    Vec3 gap, slope_first, slope_last;  // slopes a frame
    Vec3 at(int f, int from, int last) const {
        const double n = last - from;
        return hermite(Vec3::Zero(), n * slope_first, gap, n * slope_last, (f - from) / n);
    }
};

/// `v_first`, `v_last`: velocities at both ends, a frame.
Closing closing(const Vec3& gap, const Vec3& v_first, const Vec3& v_last, bool is_whole) {
    const Vec3 missing = v_first - v_last;
    return {gap, is_whole ? Vec3(-0.5 * missing) : Vec3(Vec3::Zero()),
            is_whole ? Vec3(0.5 * missing) : missing};
}

/// The same of turns: what is added on the right of the last frame's turn changes the axes its own velocity is seen in,
///   v' = exp(-gap) v + J_r(gap) d',  J_r^-1(g) = 1 + [g]/2 + (1/t^2 - (1 + cos t) / (2 t sin t)) [g]^2
/// (right Jacobian of the rotation vector; Chirikjian, from memory).
Closing turn_closing(const Vec3& gap, const Vec3& v_first, const Vec3& v_last, bool is_whole) {
    const Vec3 missing = v_first - exp_rotation(-gap) * v_last;
    const Vec3 asked = is_whole ? Vec3(0.5 * missing) : missing;
    const double t = gap.norm();
    const double c = t < 1e-4 ? 1.0 / 12.0 : 1.0 / (t * t) - (1.0 + std::cos(t)) / (2.0 * t * std::sin(t));
    const Vec3 slope = asked + 0.5 * gap.cross(asked) + c * gap.cross(gap.cross(asked));
    return {gap, is_whole ? Vec3(-0.5 * missing) : Vec3(Vec3::Zero()), slope};
}

/// Velocity at a frame from it and the two after it (before it, with `step` -1), of second order; a frame.
Vec3 velocity(const Vec3& one, const Vec3& two, int step) {
    return double(step) * (4.0 * one - two) / 2.0;
}

}  // namespace

LoopGap close_loop(const Skeleton& skeleton, Take& take, int top, const BodyLines& lines, int first, int last,
                   int blend) {
    LoopGap told;
    first = std::clamp(first, take.first_motion_frame, std::max(0, take.frames - 1));
    last = std::clamp(last, first, std::max(0, take.frames - 1));
    if (last - first + 1 < least_frames || top < 0) return told;
    const bool is_whole = blend <= 0 || blend >= last - first;
    const int from = is_whole ? first : last - blend;
    const size_t joints = size_t(take.joints);
    const WorldMotion world = forward_kinematics(skeleton, take);
    const std::vector<Rigid> track = root_track(world, lines, take.frame_time_s, take.first_motion_frame);
    const Rigid D = track[size_t(last)] * inverse(track[size_t(first)]);
    told.travel_m = (track[size_t(last)].p - track[size_t(first)].p).norm();
    told.heading_rad = log_rotation(D.R).norm();
    std::vector<Quat>& R = take.R.edit();
    const auto turn = [&](int f, size_t j) -> Quat& { return R[size_t(f) * joints + j]; };
    // The top joint in the world: its tilt and height close, its travel is kept.
    const auto X = [&](int f) { return Rigid{world.R[world.at(f, top)], world.p[world.at(f, top)]}; };
    const auto seen_from = [&](const Quat& own, const Quat& other) {
        return log_rotation(own.conjugate() * other);
    };
    const Rigid wanted = D * X(first);
    const Closing tilt = turn_closing(
        seen_from(X(last).R, wanted.R),
        velocity(seen_from(X(first).R, X(first + 1).R), seen_from(X(first).R, X(first + 2).R), 1),
        velocity(seen_from(X(last).R, X(last - 1).R), seen_from(X(last).R, X(last - 2).R), -1), is_whole);
    const auto place_first = [&](int f) { return Vec3(D.R * (X(f).p - X(first).p)); };
    const auto place_last = [&](int f) { return Vec3(X(f).p - X(last).p); };
    const Closing place =
        closing(wanted.p - X(last).p, velocity(place_first(first + 1), place_first(first + 2), 1),
                velocity(place_last(last - 1), place_last(last - 2), -1), is_whole);
    told.height_m = std::abs(place.gap.y());
    told.turn_rad = tilt.gap.norm();
    for (size_t j = 0; j < joints; ++j) {
        // What lies above the top stays: the top is closed in the world.
        if (skeleton.is_ancestor(int(j), top)) continue;
        const auto at = [&](int f, int to) { return seen_from(turn(f, j), turn(to, j)); };
        const Closing own =
            turn_closing(at(last, first), velocity(at(first, first + 1), at(first, first + 2), 1),
                         velocity(at(last, last - 1), at(last, last - 2), -1), is_whole);
        told.turn_rad = std::max(told.turn_rad, own.gap.norm());
        for (int f = from; f <= last; ++f) {
            if (own.gap.norm() < 1e-15 && own.slope_last.norm() < 1e-15) break;
            turn(f, j) = (turn(f, j) * exp_rotation(own.at(f, from, last))).normalized();
        }
    }
    // The top joint last, on the parents it has.
    const auto moved = std::find(take.translated.begin(), take.translated.end(), top);
    const int parent = skeleton.parents[size_t(top)];
    for (int f = from; f <= last; ++f) {
        const Rigid X_WT{(X(f).R * exp_rotation(tilt.at(f, from, last))).normalized(),
                         Vec3(X(f).p + place.at(f, from, last))};
        const Rigid X_WP = parent < 0 ? Rigid{Quat::Identity(), Vec3::Zero()}
                                      : Rigid{world.R[world.at(f, parent)], world.p[world.at(f, parent)]};
        const Rigid local = inverse(X_WP) * X_WT;
        turn(f, size_t(top)) = local.R.normalized();
        if (moved != take.translated.end())
            take.p.edit()[size_t(f) * take.translated.size() + size_t(moved - take.translated.begin())] =
                local.p;
    }
    return told;
}

void take_travel_out(const Skeleton& skeleton, Take& take, int top, const BodyLines& lines, int first,
                     int last) {
    const auto moved = std::find(take.translated.begin(), take.translated.end(), top);
    if (top < 0 || moved == take.translated.end() || last <= first || last >= take.frames || first < 0)
        return;
    const WorldMotion world = forward_kinematics(skeleton, take);
    const std::vector<Rigid> track = root_track(world, lines, take.frame_time_s, take.first_motion_frame);
    const Vec3 travel = track[size_t(last)].p - track[size_t(first)].p;
    const int parent = skeleton.parents[size_t(top)];
    for (int f = first; f < take.frames; ++f) {
        const double u = std::min(1.0, double(f - first) / (last - first));
        const Quat R_WP = parent < 0 ? Quat::Identity() : world.R[world.at(f, parent)];
        Vec3& p = take.p.edit()[size_t(f) * take.translated.size() + size_t(moved - take.translated.begin())];
        p -= R_WP.conjugate() * Vec3(u * travel);
    }
}

}  // namespace nb
