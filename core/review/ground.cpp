#include "core/review/ground.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/math/hermite.hpp"

namespace nb {

namespace {

constexpr double still_m_s = 0.15;
constexpr double least_still_s = 0.1;
constexpr double bin_m = 0.005;
constexpr int smooth_bins = 3;
constexpr double apart_m = 0.06;
constexpr double least_level_s = 0.25;
constexpr double looks_per_s = 120.0;
constexpr double speed_reach_s = 0.025;
constexpr double beside_m = 0.12;
constexpr double beside_share = 0.1;
constexpr double body_reach_s = 0.25;

double median_of(std::vector<double> values) {
    const auto middle = values.begin() + std::ptrdiff_t(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

bool is_ball(const Watched::Point& point) {
    return point.point->name.rfind("heel", 0) != 0;
}

/// The velocity that is nearest to all: geometric median (Weiszfeld 1937, from memory).
Vec3 nearest_to_all(const std::vector<Vec3>& velocities) {
    Vec3 x = Vec3::Zero();
    for (const Vec3& v : velocities) x += v / double(velocities.size());
    for (int round = 0; round < 50; ++round) {
        Vec3 sum = Vec3::Zero();
        double weights = 0.0;
        for (const Vec3& v : velocities) {
            const double w = 1.0 / std::max(1e-6, (v - x).norm());
            sum += w * v;
            weights += w;
        }
        x = sum / weights;
    }
    return x;
}

/// Horizontal velocity of the ground where all that is low moves alike and the body stays about; else zero. At
/// 175 cm.
Vec3 running_ground(const Watched& watched) {
    std::vector<Vec3> low;
    int still = 0;
    int balls = 0;
    for (const auto& point : watched.points) {
        if (!is_ball(point)) continue;
        ++balls;
        std::vector<double> heights;
        for (int f = watched.first; f < watched.frames; ++f) heights.push_back(point.p_m[size_t(f)].y());
        if (heights.empty()) return Vec3::Zero();
        std::nth_element(heights.begin(), heights.begin() + std::ptrdiff_t(heights.size() / 10),
                         heights.end());
        const double floor = heights[heights.size() / 10];
        for (int f = watched.first; f < watched.frames; ++f) {
            if ((point.p_m[size_t(f)].y() - floor) * watched.to_reference > 0.03) continue;
            const Vec3 v = watched.velocity(point.p_m, f);
            const double along = std::hypot(v.x(), v.z());
            still += along < still_m_s;
            if (along > 2.0 * still_m_s && std::abs(v.y()) < 0.3 * along) low.emplace_back(v.x(), 0.0, v.z());
        }
    }
    const int count = watched.frames - watched.first;
    if (balls < 2 || double(low.size()) < 0.3 * balls * count || 4 * still > int(low.size()))
        return Vec3::Zero();
    const Vec3 v = nearest_to_all(low);
    const auto alike = std::count_if(low.begin(), low.end(),
                                     [&](const Vec3& one) { return (one - v).norm() < 0.15 * v.norm(); });
    const Vec3 way = watched.hips_m.back() - watched.hips_m[size_t(watched.first)];
    const double travel = std::hypot(way.x(), way.z()) * watched.to_reference / (count * watched.dt);
    return double(alike) >= 0.6 * double(low.size()) && travel < 0.3 * v.norm() ? v : Vec3(Vec3::Zero());
}

/// Between frames by a cubic whose slopes are those of the frames beside (Catmull-Rom).
double height_at(const Watched& watched, const std::vector<Vec3>& places, double at) {
    const int f = std::min(int(at), watched.frames - 1);
    const auto p = [&](int g) -> const Vec3& {
        return places[size_t(std::clamp(g, watched.first, watched.frames - 1))];
    };
    return hermite(p(f), 0.5 * (p(f + 1) - p(f - 1)), p(f + 1), 0.5 * (p(f + 2) - p(f)), at - f).y();
}

}  // namespace

int Watched::frames_in(double seconds, int least) const {
    return std::max(least, int(std::lround(seconds / dt)));
}

Vec3 Watched::velocity(const std::vector<Vec3>& places, double frame, double reach_s) const {
    const double reach = std::max(1.0, reach_s / dt);
    const auto at = [&](double f) -> Vec3 {
        const int g = std::clamp(int(std::floor(f)), first, frames - 1);
        const int h = std::min(g + 1, frames - 1);
        const double u = std::clamp(f - g, 0.0, 1.0);
        return (1.0 - u) * places[size_t(g)] + u * places[size_t(h)];
    };
    const double from = std::max(double(first), frame - reach);
    const double to = std::min(double(frames - 1), frame + reach);
    if (to <= from) return Vec3::Zero();
    return to_reference * (at(to) - at(from)) / ((to - from) * dt) - ground_m_s;
}

double Watched::grown(int frame) const {
    const Vec3 v = velocity(hips_m, frame, body_reach_s);
    return std::max(1.0, std::hypot(v.x(), v.z()) - 0.5);
}

Watched watch(const Character& character, const WorldMotion& motion, double frame_time_s, int first_frame) {
    Watched watched;
    watched.ends = standing_ends(character);
    watched.first = first_frame;
    watched.frames = motion.frames;
    watched.dt = frame_time_s;
    watched.to_reference = reference_stature_m / stature(character.rig.skeleton, character.roles);
    for (size_t e = 0; e < watched.ends.size(); ++e)
        for (const StandingPoint& point : watched.ends[e].points) {
            if (!point.rests) continue;
            watched.points.push_back({e, &point, std::vector<Vec3>(size_t(motion.frames), Vec3::Zero())});
            for (int f = first_frame; f < motion.frames; ++f)
                watched.points.back().p_m[size_t(f)] = point.in(motion, f);
        }
    const int left = character.roles.joint("thigh.left");
    const int right = character.roles.joint("thigh.right");
    watched.hips_m.assign(size_t(motion.frames), Vec3::Zero());
    for (int f = 0; f < motion.frames && left >= 0 && right >= 0; ++f)
        watched.hips_m[size_t(f)] = 0.5 * (motion.p[motion.at(f, left)] + motion.p[motion.at(f, right)]);
    return watched;
}

std::vector<double> find_ground(Watched& watched) {
    watched.ground_m_s = running_ground(watched);
    std::vector<double> heights;
    // Between frames, too, where that is no longer than speeds reach.
    const int parts =
        watched.dt > speed_reach_s ? 1 : std::max(1, int(std::lround(looks_per_s * watched.dt)));
    for (const auto& point : watched.points) {
        if (!is_ball(point)) continue;
        std::vector<double> still;
        const auto close = [&](int frame) {
            if ((double(still.size()) + 0.5) * watched.dt / parts >= least_still_s / watched.grown(frame))
                heights.insert(heights.end(), still.begin(), still.end());
            still.clear();
        };
        for (int i = 0; i <= parts * (watched.frames - 1 - watched.first); ++i) {
            const double at = watched.first + double(i) / parts;
            const int frame = int(std::lround(at));
            if (watched.velocity(point.p_m, at).norm() < still_m_s * watched.grown(frame))
                still.push_back(height_at(watched, point.p_m, at));
            else
                close(frame);
        }
        close(watched.frames - 1);
    }
    if (heights.empty()) return {0.0};
    // Where many heights are near each other is a level; of two nearer than 6 cm the fuller one.
    const double bin = bin_m / watched.to_reference;
    const double lowest = *std::min_element(heights.begin(), heights.end());
    std::vector<int> counts;
    for (const double y : heights) {
        const size_t at = size_t((y - lowest) / bin);
        if (counts.size() <= at) counts.resize(at + 1, 0);
        ++counts[at];
    }
    const auto fullness = [&](int at) {
        int sum = 0;
        for (int b = std::max(0, at - smooth_bins); b <= std::min(int(counts.size()) - 1, at + smooth_bins);
             ++b)
            sum += counts[size_t(b)];
        return sum;
    };
    std::vector<int> order(counts.size());
    for (size_t i = 0; i < order.size(); ++i) order[i] = int(i);
    std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return fullness(a) > fullness(b); });
    std::vector<double> modes;
    for (const int at : order) {
        const double y = lowest + (at + 0.5) * bin;
        const bool is_near = std::any_of(modes.begin(), modes.end(), [&](double mode) {
            return std::abs(mode - y) < apart_m / watched.to_reference;
        });
        if (counts[size_t(at)] > 0 && !is_near) modes.push_back(y);
    }
    std::vector<std::vector<double>> of_mode(modes.size());
    for (const double y : heights) {
        size_t best = 0;
        for (size_t m = 1; m < modes.size(); ++m)
            if (std::abs(modes[m] - y) < std::abs(modes[best] - y)) best = m;
        of_mode[best].push_back(y);
    }
    size_t most = 0;
    for (const auto& own : of_mode) most = std::max(most, own.size());
    // What is trod on far less than a level within 12 cm of it is a toe that stands up or a foot that rocks.
    const auto is_level = [&](size_t m) {
        const size_t own = of_mode[m].size();
        if (own == 0 || double(own) * watched.dt / parts < least_level_s) return false;
        for (size_t other = 0; other < modes.size(); ++other)
            if (std::abs(modes[m] - modes[other]) * watched.to_reference < beside_m &&
                double(own) < beside_share * double(of_mode[other].size()))
                return false;
        return true;
    };
    std::vector<double> levels;
    for (size_t m = 0; m < modes.size(); ++m)
        if (of_mode[m].size() == most || is_level(m)) levels.push_back(median_of(of_mode[m]));
    std::sort(levels.begin(), levels.end());
    return levels;
}

}  // namespace nb
