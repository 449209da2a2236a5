#include "core/touchup/straight.hpp"

#include <algorithm>
#include <cmath>

#include "core/math/low_pass.hpp"

namespace nb {

namespace {

constexpr double course_hz = 0.5, slow_m_s = 0.15, least_way_m = 0.3, reach_s = 0.1;

}  // namespace

std::vector<Straightened> straighten(const WorldMotion& motion, const BodyLines& lines, double frame_time_s,
                                     int first, int last, bool ends_stay) {
    std::vector<Vec3> course;
    for (int f = first; f <= last; ++f) {
        const Vec3 centre = hip_centre(motion, lines, f);
        course.emplace_back(centre.x(), 0.0, centre.z());
    }
    const int frames = int(course.size());
    if (frames < 4) return {};
    filter_both_ways(butterworth(corner_for_both_ways(course_hz), 1.0 / frame_time_s), course);
    const Vec3 chord = course.back() - course.front();
    if (chord.norm() < least_way_m) return {};
    const Vec3 along = chord.normalized();
    const double yaw_of_line = std::atan2(along.x(), along.z());
    // Where it goes to, NaN where it hardly goes.
    const int reach = std::max(1, int(std::lround(reach_s / frame_time_s)));
    std::vector<double> way(course.size(), 0.0), off(course.size(), std::nan(""));
    for (int f = 0; f < frames; ++f) {
        const int from = std::max(0, f - reach), to = std::min(frames - 1, f + reach);
        const Vec3 step = course[size_t(to)] - course[size_t(from)];
        if (step.norm() >= slow_m_s * (to - from) * frame_time_s)
            off[size_t(f)] = std::remainder(yaw_of_line - std::atan2(step.x(), step.z()), 2.0 * pi);
        if (f > 0) way[size_t(f)] = way[size_t(f) - 1] + (course[size_t(f)] - course[size_t(f) - 1]).norm();
    }
    const auto known = std::find_if(off.begin(), off.end(), [](double a) { return !std::isnan(a); });
    double held = known == off.end() ? 0.0 : *known;
    for (double& angle : off) {
        if (!std::isnan(angle)) held += std::remainder(angle - held, 2.0 * pi);
        angle = held;
    }
    const double scale = ends_stay ? chord.norm() / way.back() : 1.0;
    std::vector<Straightened> given;
    for (int f = 0; f < frames; ++f) {
        const Vec3& c = course[size_t(f)];
        given.push_back({c, off[size_t(f)], course.front() + scale * way[size_t(f)] * along - c});
    }
    return given;
}

}  // namespace nb
