#include "core/contact/tracks.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/body/measures.hpp"
#include "core/math/curves.hpp"
#include "core/math/hermite.hpp"

namespace nb {

namespace {

constexpr double speed_reach_s = 0.025;
constexpr double body_reach_s = 0.25;
constexpr double low_reach_s = 0.75;
constexpr double looks_per_s = 120.0;

/// Parts of a frame that are looked at; where a frame is longer than speeds reach, nothing is known between.
int parts_of(const WorldMotion& motion, double frame_time_s) {
    if (motion.frames < 2 || frame_time_s > speed_reach_s) return 1;
    return std::max(1, int(std::lround(looks_per_s * frame_time_s)));
}

/// `parts` for one of a frame, Hermite with slopes of the frames beside; `places` from `first` on.
std::vector<Vec3> between_frames(const std::vector<Vec3>& places, int first, int parts) {
    if (parts == 1) return places;
    const int last = int(places.size()) - 1;
    std::vector<Vec3> fine;
    fine.reserve(size_t(last) * size_t(parts) + 1);
    const auto slope = [&](int f) {
        const int a = std::max(first, f - 1);
        const int b = std::min(last, f + 1);
        return b > a ? Vec3((places[size_t(b)] - places[size_t(a)]) / (b - a)) : Vec3(Vec3::Zero());
    };
    for (int f = 0; f < last; ++f)
        for (int part = 0; part < parts; ++part)
            fine.push_back(f < first ? places[size_t(f)]
                                     : hermite(places[size_t(f)], slope(f), places[size_t(f) + 1],
                                               slope(f + 1), double(part) / parts));
    fine.push_back(places.back());
    return fine;
}

/// Over +-`reach_s`, a frame at least, less at the ends of [first, places.size()); places between frames are
/// linear, so that the rate does not matter. m/s.
Vec3 velocity_over(const std::vector<Vec3>& places, int frame, int first, double reach_s, double dt) {
    const int last = int(places.size()) - 1;
    const double reach = std::max(1.0, reach_s / dt);
    const int whole = int(reach);
    const double part = reach - whole;
    const int before = std::max(first, frame - whole);
    const int after = std::min(last, frame + whole);
    Vec3 from = places[size_t(before)];
    Vec3 to = places[size_t(after)];
    double frames = after - before;
    if (part > 1e-9 && frame - whole > first) {
        from += part * (places[size_t(before) - 1] - from);
        frames += part;
    }
    if (part > 1e-9 && frame + whole < last) {
        to += part * (places[size_t(after) + 1] - to);
        frames += part;
    }
    return frames > 0.0 ? Vec3((to - from) / (frames * dt)) : Vec3(Vec3::Zero());
}

}  // namespace

BodyTracks::BodyTracks(const Character& source, const WorldMotion& motion, double frame_time_s,
                       int first_frame)
    : soles_(soles_of(source)),
      parts_(parts_of(motion, frame_time_s)),
      first_(parts_ * first_frame),
      frames_(parts_ * (motion.frames - 1) + 1),
      dt_(frame_time_s / parts_),
      scale_(stature(source.rig.skeleton, source.roles) / reference_stature_m) {
    for (const auto& sole : soles_) {
        if (!sole) continue;
        for (const FootPoint point : sole->resting()) {
            std::vector<Vec3> places(size_t(motion.frames), Vec3::Zero());
            for (int f = first_frame; f < motion.frames; ++f)
                places[size_t(f)] = sole->point(point, motion, f);
            points_.push_back({&*sole, point, between_frames(places, first_frame, parts_)});
        }
    }
    const int left = source.roles.joint("thigh.left");
    const int right = source.roles.joint("thigh.right");
    std::vector<Vec3> hips(size_t(motion.frames), Vec3::Zero());
    for (int f = 0; f < motion.frames && left >= 0 && right >= 0; ++f)
        hips[size_t(f)] = 0.5 * (motion.p[motion.at(f, left)] + motion.p[motion.at(f, right)]);
    hips_m_ = between_frames(hips, first_frame, parts_);
    measure_body();
}

void BodyTracks::measure_body() {
    body_speed_.assign(size_t(frames_), 0.0);
    for (int f = first_; f < frames_; ++f) {
        const Vec3 v = velocity_over(hips_m_, f, first_, body_reach_s, dt_) - floor_m_s_;
        body_speed_[size_t(f)] = std::hypot(v.x(), v.z()) / scale_;
    }
}

int BodyTracks::frames_in(double seconds, int least) const {
    return std::max(least, int(std::lround(seconds / dt_)));
}

std::vector<double> BodyTracks::lowest_around(const PointTrack& track) const {
    std::vector<double> heights;
    heights.reserve(track.p_m.size());
    for (size_t f = size_t(first_); f < track.p_m.size(); ++f) heights.push_back(track.p_m[f].y());
    std::vector<double> lowest = lowest_within(std::move(heights), frames_in(low_reach_s, 1));
    lowest.insert(lowest.begin(), std::min(size_t(first_), track.p_m.size()), 0.0);
    return lowest;
}

Vec3 BodyTracks::velocity(const PointTrack& track, int frame) const {
    return (velocity_over(track.p_m, frame, first_, speed_reach_s, dt_) - floor_m_s_) / scale_;
}

Vec3 BodyTracks::travel_m_s() const {
    if (frames_ - first_ < 2) return Vec3::Zero();
    const Vec3 way = hips_m_.back() - hips_m_[size_t(first_)];
    return Vec3(way.x(), 0.0, way.z()) / ((frames_ - 1 - first_) * dt_ * scale_);
}

void BodyTracks::set_floor_velocity(const Vec3& velocity_m_s) {
    floor_m_s_ = velocity_m_s;
    measure_body();
}

}  // namespace nb
