// The ground under a take as the review sees it: the heights at which balls are still, and whether all of it
// runs. Found by other means than the solve's floor (core/contact/floor.hpp), so that a wrong floor there is
// seen here.
#pragma once
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/review/feet.hpp"

namespace nb {

/// Points of a body's ends over a take, and what holds for its lengths and speeds.
struct Watched {
    Watched() = default;
    Watched(Watched&&) = default;  // points look into `ends`
    Watched& operator=(Watched&&) = default;
    struct Point {
        size_t end = 0;  ///< of `ends`
        const StandingPoint* point = nullptr;
        std::vector<Vec3> p_m;  ///< a frame, world
    };
    std::vector<StandingEnd> ends;
    std::vector<Point> points;  ///< those that rest
    std::vector<Vec3> hips_m;   ///< hip centre, a frame
    int first = 0, frames = 0;
    double dt = 0.0;
    double to_reference = 1.0;       ///< 175 cm by stature
    Vec3 ground_m_s = Vec3::Zero();  ///< the ground's velocity

    int frames_in(double seconds, int least = 1) const;
    /// Velocity beside the ground over +-25 ms (places between frames linear; a frame where that is more), m/s
    /// at 175 cm.
    Vec3 velocity(const std::vector<Vec3>& places, double frame, double reach_s = 0.025) const;
    /// By how much limits of rest grow in a body that runs: with its speed over +-0.25 s beyond 1.5 m/s.
    double grown(int frame) const;
};
Watched watch(const Character& character, const WorldMotion& motion, double frame_time_s, int first_frame);

/// Heights of the ground, rising: still balls (slower than 15 cm/s, grown) by height in bins of 5 mm; runs of
/// bins that no gap of 6 cm parts are one, cut at their emptiest place while they are wider than 6 cm between
/// medians; the median of each that has 0.25 s. Sets `watched.ground_m_s`: where feet that are low all go back
/// at one speed while the body stays about, the ground runs.
std::vector<double> find_ground(Watched& watched);

}  // namespace nb
