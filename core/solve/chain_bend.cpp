#include "core/solve/chain_bend.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>

#include "core/math/hermite.hpp"
#include "core/solve/stretch.hpp"

namespace nb {

namespace {

using Complex = std::complex<double>;

constexpr double longest = 0.9999;     // of the longest chord
constexpr double least_share = 0.35;   // a chain is not folded further
constexpr double soften_from = 0.95;   // as limbs that are brought somewhere (core/solve/touch.cpp)
constexpr double most_bend_rad = 2.5;  // of the bones at the ends
constexpr double most_step_rad = 0.5;  // of one round of Newton's
constexpr double near_enough = 1e-12;  // of the length, squared
constexpr int most_rounds = 12;
constexpr double goes_over_at = 0.6;  // of the way a chain that is bent back begins to go over
constexpr double tiny = 1e-9;

/// Bones in a plane, each turned by its share of an angle; the chord they make, and its slopes by the angle.
struct PlaneChain {
    std::array<Complex, most_bent_bones> z;
    std::array<double, most_bent_bones> share{};
    size_t count = 0;

    struct Chord {
        Complex at, slope, curve;
        /// Half the slopes of its squared length.
        double length_slope() const { return std::real(std::conj(at) * slope); }
        double length_curve() const { return std::norm(slope) + std::real(std::conj(at) * curve); }
    };
    Chord chord(double angle) const {
        Chord c;
        for (size_t i = 0; i < count; ++i) {
            const Complex turned = z[i] * std::polar(1.0, angle * share[i]);
            c.at += turned;
            c.slope += Complex(0, share[i]) * turned;
            c.curve -= share[i] * share[i] * turned;
        }
        return c;
    }
};

/// The angle by which the chord turns by `psi`.
double aim(const PlaneChain& chain, double psi) {
    const double from = std::arg(chain.chord(0.0).at);
    double angle = psi;
    for (int round = 0; round < most_rounds; ++round) {
        const PlaneChain::Chord c = chain.chord(angle);
        const double off = std::remainder(psi - (std::arg(c.at) - from), 2.0 * pi);
        const double slope = std::imag(c.slope / c.at);
        if (std::abs(off) < 1e-7 || std::abs(slope) < 0.05) break;
        angle += std::clamp(off / slope, -most_step_rad, most_step_rad);
    }
    return angle;
}

/// The angle at which the chord is longest.
double straightest(const PlaneChain& chain) {
    double angle = 0.0;
    for (int round = 0; round < most_rounds; ++round) {
        const PlaneChain::Chord c = chain.chord(angle);
        const double slope = c.length_slope(), curve = c.length_curve();
        const double step = curve < 0.0 ? -slope / curve : slope;
        angle = std::clamp(angle + std::clamp(step, -most_step_rad, most_step_rad), -most_bend_rad,
                           most_bend_rad);
        if (std::abs(step) < 1e-9) break;
    }
    return angle;
}

/// The angle at which the chord is `squared` long, forward of the straightest.
double bent_to(const PlaneChain& chain, double straight, double squared) {
    const PlaneChain::Chord longest_chord = chain.chord(straight);
    const double over = std::norm(longest_chord.at) - squared;
    const double curve = -longest_chord.length_curve();
    if (over <= 0.0 || curve <= 0.0) return straight;
    double angle = straight + std::min(std::sqrt(over / curve), most_bend_rad);
    for (int round = 0; round < most_rounds; ++round) {
        const PlaneChain::Chord c = chain.chord(angle);
        const double off = std::norm(c.at) - squared;
        const double slope = 2.0 * c.length_slope();
        if (std::abs(off) < near_enough * std::norm(longest_chord.at) || slope > -tiny * over) break;
        angle = std::clamp(angle - std::clamp(off / slope, -most_step_rad, most_step_rad), straight,
                           straight + most_bend_rad);
    }
    return angle;
}

/// What of the way to `forward` (> 0, beside the straightest) is taken by a chain that stands at `now`.
double by_way_of_straight(double now, double forward, double squared_more) {
    if (now >= 0.0) return forward;
    if (squared_more >= 0.0) return -forward;  // it grows longer: less bent back
    const double u = std::clamp((-now / forward - goes_over_at) / (1.0 - goes_over_at), 0.0, 1.0);
    return forward * (1.0 - 2.0 * smooth_step(u));
}

}  // namespace

void bend_chain(std::span<const Vec3> bones, const Vec3& side, const Vec3& to, std::span<Quat> turns) {
    std::fill(turns.begin(), turns.end(), Quat::Identity());
    PlaneChain chain;
    chain.count = std::min(bones.size(), most_bent_bones);
    // Bones beyond the last go with it.
    std::array<Vec3, most_bent_bones> bent;
    double length = 0.0;
    Vec3 chord = Vec3::Zero();
    for (size_t i = 0; i < bones.size(); ++i) {
        const size_t at = std::min(i, most_bent_bones - 1);
        bent[at] = i > at ? Vec3(bent[at] + bones[i]) : bones[i];
        chord += bones[i];
    }
    std::array<double, most_bent_bones> middle{};
    for (size_t i = 0; i < chain.count; ++i) {
        const double bone = bent[i].norm();
        middle[i] = length + 0.5 * bone;
        length += bone;
    }
    if (length < tiny || chord.norm() < tiny || to.norm() < tiny || (to - chord).norm() < tiny * length)
        return;
    for (size_t i = 0; i < chain.count; ++i) middle[i] /= length;
    const double was = chord.norm();
    const auto lay = [&](const Vec3& x, const Vec3& y) {
        for (size_t i = 0; i < chain.count; ++i) chain.z[i] = {bent[i].dot(x), bent[i].dot(y)};
    };
    std::array<Quat, most_bent_bones> turn;
    turn.fill(Quat::Identity());
    const auto turn_all = [&](double angle, const Vec3& axis) {
        chord.setZero();
        for (size_t i = 0; i < chain.count; ++i) {
            const Quat by = exp_rotation(angle * chain.share[i] * axis);
            turn[i] = by * turn[i];
            bent[i] = by * bent[i];
            chord += bent[i];
        }
    };
    if (const Vec3 u = chord.cross(to); u.norm() > tiny * length * length) {
        const Vec3 axis = u.normalized(), x = chord.normalized();
        lay(x, axis.cross(x));
        chain.share = middle;
        turn_all(aim(chain, std::atan2(u.norm(), chord.dot(to))), axis);
    }
    const Vec3 ahead = side.cross(std::abs(side.y()) < 0.9 ? Vec3::UnitY() : Vec3::UnitZ()).normalized();
    lay(side.cross(ahead), -ahead);
    double beside = 0.0;
    for (size_t i = 0; i < chain.count; ++i) {
        chain.share[i] = 2.0 * middle[i] - 1.0;
        beside += bent[i].dot(side);
    }
    const double straight = straightest(chain);
    const double most = std::sqrt(beside * beside + std::norm(chain.chord(straight).at));
    // As long as it was it may be again.
    const double free = std::min(longest, std::max(std::max(chord.norm(), was) / most, soften_from));
    const double asked = most * std::max(least_share, soften_beyond(to.norm() / most, free));
    const double squared = std::max(0.0, asked * asked - beside * beside);
    const double forward = bent_to(chain, straight, squared) - straight;
    turn_all(straight + by_way_of_straight(-straight, forward, asked - chord.norm()), side);
    const Quat rest = Quat::FromTwoVectors(chord, to);
    for (size_t i = 0; i < turns.size(); ++i)
        turns[i] = (rest * turn[std::min(i, most_bent_bones - 1)]).normalized();
}

}  // namespace nb
