#include "core/contact/floor.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

constexpr double still_m_s = 0.15;
constexpr double least_rest_s = 0.1;
constexpr double one_level_m = 0.06;
constexpr double least_level_s = 0.25;
// Beside a level nearer than this one that is trod on so much less is none: a toe that stands up, a foot that rocks.
constexpr double near_m = 0.12;
constexpr double near_share = 0.1;

// Of a floor that runs: all at 175 cm, this program's own.
constexpr double low_m = 0.03;  // above the lowest within +-0.75 s
constexpr double least_run_m_s = 0.3;
constexpr double flat_share = 0.3;         // of a low foot's velocity that may be upright
constexpr double alike_share = 0.15;       // by which velocities of one floor differ
constexpr double least_alike = 0.6;        // of low frames
constexpr double least_low = 0.3;          // low frames a foot, of all frames
constexpr double most_travel_share = 0.3;  // of the floor's speed at which the body may travel itself

double median(std::vector<double> values) {
    const auto middle = values.begin() + std::ptrdiff_t(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

bool is_ball_on_floor(const PointTrack& track) {
    return track.point == FootPoint::ball && track.sole->is_on_floor();
}

/// Velocity of a floor that runs under the feet, world, m/s; zero when it stands.
Vec3 running_floor(const BodyTracks& tracks) {
    std::vector<Vec3> velocities;
    std::array<int, limb_count> of_limb{};
    int feet = 0;
    int still = 0;
    for (const PointTrack& track : tracks.points()) {
        if (!is_ball_on_floor(track)) continue;
        const std::vector<double> lowest = tracks.lowest_around(track);
        for (int f = tracks.first(); f < tracks.frames(); ++f) {
            if (track.p_m[size_t(f)].y() - lowest[size_t(f)] > low_m * tracks.scale()) continue;
            const Vec3 v = tracks.velocity(track, f);
            const double along = std::hypot(v.x(), v.z());
            still += along < still_m_s;
            if (along < least_run_m_s || std::abs(v.y()) > flat_share * along) continue;
            velocities.push_back(v);
            ++of_limb[size_t(feet)];
        }
        ++feet;
    }
    const int count = tracks.frames() - tracks.first();
    if (feet < 2 || double(velocities.size()) < least_low * feet * count ||
        4 * still > int(velocities.size()))
        return Vec3::Zero();
    for (int foot = 0; foot < feet; ++foot)
        if (of_limb[size_t(foot)] < int(0.5 * least_low * count)) return Vec3::Zero();
    std::vector<double> x, z;
    for (const Vec3& v : velocities) {
        x.push_back(v.x());
        z.push_back(v.z());
    }
    const Vec3 middle(median(x), 0.0, median(z));
    int alike = 0;
    for (const Vec3& v : velocities) {
        const Vec3 off(v.x() - middle.x(), 0.0, v.z() - middle.z());
        alike += off.norm() <= alike_share * middle.norm();
    }
    if (alike < least_alike * double(velocities.size())) return Vec3::Zero();
    if (tracks.travel_m_s().norm() > most_travel_share * middle.norm()) return Vec3::Zero();
    return tracks.scale() * middle;
}

}  // namespace

Floor find_floor(const Character& source, const WorldMotion& motion, double frame_time_s, int first_frame) {
    BodyTracks tracks(source, motion, frame_time_s, first_frame);
    return find_floor(tracks);
}

Floor find_floor(BodyTracks& tracks) {
    Floor floor;
    floor.velocity_m_s = running_floor(tracks);
    tracks.set_floor_velocity(floor.velocity_m_s);
    const double scale = tracks.scale();
    std::vector<std::vector<double>> levels;  // heights of the frames that rest there
    std::vector<double> heights;
    for (const PointTrack& track : tracks.points()) {
        if (!is_ball_on_floor(track)) continue;
        heights.clear();
        double grown = 1.0;
        const auto close = [&] {
            if (int(heights.size()) >= tracks.frames_in(least_rest_s / grown, 2)) levels.push_back(heights);
            heights.clear();
        };
        for (int f = tracks.first(); f < tracks.frames(); ++f) {
            if (tracks.speed(track, f) < still_m_s * tracks.grown(f)) {
                grown = tracks.grown(f);
                heights.push_back(track.p_m[size_t(f)].y());
            } else {
                close();
            }
        }
        close();
    }
    if (levels.empty()) {
        floor.levels_m = {0.0};
        return floor;
    }
    std::vector<double> medians;
    medians.reserve(levels.size());
    std::sort(levels.begin(), levels.end(),
              [](const auto& a, const auto& b) { return median(a) < median(b); });
    for (const auto& level : levels) medians.push_back(median(level));
    while (levels.size() > 1) {
        size_t closest = 0;
        double least_gap = 1e30;
        for (size_t i = 0; i + 1 < levels.size(); ++i) {
            const double gap = medians[i + 1] - medians[i];
            if (gap < least_gap) {
                least_gap = gap;
                closest = i;
            }
        }
        if (least_gap > one_level_m * scale) break;
        auto& into = levels[closest];
        const auto& from = levels[closest + 1];
        into.insert(into.end(), from.begin(), from.end());
        levels.erase(levels.begin() + std::ptrdiff_t(closest) + 1);
        medians[closest] = median(levels[closest]);
        medians.erase(medians.begin() + std::ptrdiff_t(closest) + 1);
    }
    size_t most = 0;
    for (const auto& level : levels) most = std::max(most, level.size());
    for (size_t i = 0; i < levels.size(); ++i) {
        bool is_doubtful = double(levels[i].size()) * tracks.dt() < least_level_s;
        for (size_t j = 0; j < levels.size(); ++j)
            is_doubtful |= std::abs(medians[i] - medians[j]) < near_m * scale &&
                           double(levels[i].size()) < near_share * double(levels[j].size());
        if (!is_doubtful || levels[i].size() == most) floor.levels_m.push_back(medians[i]);
    }
    return floor;
}

}  // namespace nb
