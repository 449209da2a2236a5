// The points of a body's ends along a take, and how fast they and the body go; what floor and contacts are
// found by. Speeds and lengths at a stature of 175 cm. Slow takes are looked at between their frames too, so that
// what is found depends on the rate as little as can be; frames here are those.
#pragma once
#include <algorithm>
#include <vector>

#include "core/contact/sole.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

/// One point that can rest.
struct PointTrack {
    const Sole* sole = nullptr;
    FootPoint point = FootPoint::ball;
    std::vector<Vec3> p_m;  ///< world, a frame, not scaled
};

class BodyTracks {
  public:
    /// All points of `Sole::resting`; speeds are over +-25 ms.
    BodyTracks(const Character& source, const WorldMotion& motion, double frame_time_s, int first_frame);
    BodyTracks(const BodyTracks&) = delete;
    BodyTracks& operator=(const BodyTracks&) = delete;

    const std::vector<PointTrack>& points() const { return points_; }
    /// Of a frame of the motion.
    int parts() const { return parts_; }
    int first() const { return first_; }
    int frames() const { return frames_; }
    double dt() const { return dt_; }
    /// Metres by metres at 175 cm.
    double scale() const { return scale_; }
    int frames_in(double seconds, int least) const;
    /// The lowest a point gets within +-0.75 s, a frame, world, m; frames before the first are 0.
    std::vector<double> lowest_around(const PointTrack& track) const;

    /// Of a point at a frame beside what it may rest on, m/s at 175 cm.
    double speed(const PointTrack& track, int frame) const { return velocity(track, frame).norm(); }
    Vec3 velocity(const PointTrack& track, int frame) const;
    /// How fast the hip centre goes over the floor, over +-0.25 s, m/s at 175 cm.
    double body_speed(int frame) const { return body_speed_[size_t(frame)]; }
    /// By how much thresholds of rest grow: 1 up to 1.5 m/s, then with the speed of the body: a foot that
    /// touches for a tenth of a second in a run is never as still as one that stands (this program's own).
    double grown(int frame) const { return std::max(1.0, body_speed(frame) - 0.5); }

    /// Mean velocity of the hip centre over the take, over the floor, m/s at 175 cm.
    Vec3 travel_m_s() const;

    /// Velocity of the floor, world, m/s, not scaled: what points and body are seen against from now on.
    void set_floor_velocity(const Vec3& velocity_m_s);

  private:
    Soles soles_;
    std::vector<PointTrack> points_;
    std::vector<Vec3> hips_m_;
    std::vector<double> body_speed_;
    Vec3 floor_m_s_ = Vec3::Zero();
    int parts_ = 1, first_ = 0, frames_ = 0;
    double dt_ = 0.0, scale_ = 1.0;
    void measure_body();
};

}  // namespace nb
