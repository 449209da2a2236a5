#include "core/surface/capsule.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

namespace {

constexpr double exact = 1e-9;
constexpr int most_rounds = 40;

/// Where along a capsule its skin is nearest to a point.
double nearest_on(const Capsule& capsule, const Vec3& point) {
    const Vec3 along = capsule.b - capsule.a;
    const double length = along.norm();
    const double steeper = capsule.b_m - capsule.a_m;
    if (length < exact || std::abs(steeper) >= length) return steeper > 0.0 ? 1.0 : 0.0;
    const Vec3 z = along / length;
    const double x = z.dot(point - capsule.a);
    const double aside = (point - capsule.a - x * z).norm();
    const double k = steeper / length;
    return std::clamp((x + k * aside / std::sqrt(1.0 - k * k)) / length, 0.0, 1.0);
}

/// Where two segments are nearest: along the one and the other.
std::array<double, 2> nearest_of_segments(const Capsule& one, const Capsule& other) {
    const Vec3 d1 = one.b - one.a, d2 = other.b - other.a, r = one.a - other.a;
    const double a = d1.squaredNorm(), e = d2.squaredNorm(), f = d2.dot(r);
    if (a < exact && e < exact) return {0.0, 0.0};
    if (a < exact) return {0.0, std::clamp(f / e, 0.0, 1.0)};
    const double c = d1.dot(r);
    if (e < exact) return {std::clamp(-c / a, 0.0, 1.0), 0.0};
    const double b = d1.dot(d2);
    const double apart = a * e - b * b;
    double t = apart > exact * a * e ? std::clamp((b * f - c * e) / apart, 0.0, 1.0) : 0.0;
    double u = (b * t + f) / e;
    if (u < 0.0 || u > 1.0) {
        u = std::clamp(u, 0.0, 1.0);
        t = std::clamp((b * u - c) / a, 0.0, 1.0);
    }
    return {t, u};
}

}  // namespace

CapsuleGap gap_between(const Capsule& one, const Capsule& other) {
    CapsuleGap gap;
    const auto segments = nearest_of_segments(one, other);
    gap.t = segments[0];
    gap.u = segments[1];
    if (one.a_m != one.b_m || other.a_m != other.b_m) {
        // The height over t with the nearest u for each is convex, too: where its slope turns.
        const Vec3 along = one.b - one.a;
        double from = 0.0, to = 1.0;
        for (int round = 0; round < most_rounds; ++round) {
            gap.t = round == 0 ? gap.t : 0.5 * (from + to);
            gap.u = nearest_on(other, one.at(gap.t));
            const Vec3 apart = one.at(gap.t) - other.at(gap.u);
            const double slope = apart.dot(along) / std::max(exact, apart.norm()) - (one.b_m - one.a_m);
            (slope > 0.0 ? to : from) = gap.t;
            if (to - from < exact) break;
        }
        for (const double end : {0.0, 1.0}) {
            const double u = nearest_on(other, one.at(end));
            const auto height = [&](double t, double w) {
                return (one.at(t) - other.at(w)).norm() - one.radius(t) - other.radius(w);
            };
            if (height(end, u) >= height(gap.t, gap.u)) continue;
            gap.t = end;
            gap.u = u;
        }
    }
    const Vec3 apart = one.at(gap.t) - other.at(gap.u);
    const double distance = apart.norm();
    if (distance > exact) gap.out = apart / distance;
    gap.height_m = distance - one.radius(gap.t) - other.radius(gap.u);
    return gap;
}

double at_least_apart(const Capsule& one, const Capsule& other) {
    const auto [t, u] = nearest_of_segments(one, other);
    return (one.at(t) - other.at(u)).norm() - std::max(one.a_m, one.b_m) - std::max(other.a_m, other.b_m);
}

Capsule capsule_of(const PartSurface& part) {
    const auto mean = [&](int first, int last) {
        double sum = 0.0;
        for (int r = first; r < last; ++r)
            for (const double radius : part.radius_m[size_t(r)]) sum += radius;
        return sum / ((last - first) * PartSurface::columns);
    };
    const double at_begin = mean(0, PartSurface::rows / 3);
    const double at_end = mean(PartSurface::rows - PartSurface::rows / 3, PartSurface::rows);
    // A cap goes out by the end's own depth, not by its radius.
    const double from = std::min(0.4 * part.length_m, std::max(0.0, at_begin - part.cap_m[0]));
    const double to = part.length_m - std::min(0.4 * part.length_m, std::max(0.0, at_end - part.cap_m[1]));
    return part.X_JF * Capsule{Vec3(0.0, 0.0, from), Vec3(0.0, 0.0, to), at_begin, at_end};
}

}  // namespace nb
