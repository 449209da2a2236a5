#include "live/contacts_ahead.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"

namespace nb {

namespace {

// As in core/contact (contacts.cpp, floor.cpp, tracks.cpp).
constexpr double speed_reach_s = 0.025;
constexpr double body_reach_s = 0.25;
constexpr double clear_share = 0.3;
constexpr double level_rest_m_s = 0.15;
constexpr double level_rest_s = 0.1;
constexpr double level_apart_m = 0.06;
constexpr double most_rests = 20.0;  // that a level is the mean of

}  // namespace

ContactsAhead::ContactsAhead(const Program& program, const ContactRules& rules)
    : program_(program), rules_(rules), scale_(program.S_stature_m / reference_stature_m) {}

void ContactsAhead::clear() {
    points_ = {};
    floor_ = {};
    weights_.clear();
    rests_ = {};
    grown_ = 1.0;
}

double ContactsAhead::speed(const Moments& moments, size_t limb, FootPoint which, int moment) const {
    const double t = moments.at(moment).t_s;
    const double from = std::max(moments.first_s(), t - speed_reach_s);
    const double to = std::min(moments.last_s(), t + speed_reach_s);
    if (to - from < 1e-6) return 1e9;
    return (moments.point(limb, size_t(which), to) - moments.point(limb, size_t(which), from)).norm() /
           ((to - from) * scale_);
}

bool ContactsAhead::is_near(const Moments& moments, size_t limb, FootPoint which, int moment, double level_m,
                            double most_m_s, double most_m) const {
    return std::abs(moments.at(moment).points[limb][size_t(which)].y() - level_m) < most_m &&
           speed(moments, limb, which, moment) < most_m_s * grown_;
}

bool ContactsAhead::begins(const Moments& moments, size_t limb, FootPoint which, int moment,
                           double& level_m) const {
    if (floor_.levels_m.empty()) return false;
    level_m = floor_.nearest(moments.at(moment).points[limb][size_t(which)].y());
    return is_near(moments, limb, which, moment, level_m, rules_.enter_m_s,
                   std::min(clear_share * floor_.room_m(level_m), rules_.enter_height_m * scale_));
}

bool ContactsAhead::goes_on(const Moments& moments, size_t limb, FootPoint which, int moment,
                            double level_m) const {
    return is_near(moments, limb, which, moment, level_m, rules_.leave_m_s,
                   std::min(0.5 * floor_.room_m(level_m), rules_.leave_height_m * scale_));
}

/// A rest is parted by no short gap that is known to end in the same place.
bool ContactsAhead::resumes(const Moments& moments, size_t limb, FootPoint which, int moment,
                            double level_m) const {
    if (moment == 0) return false;
    const Vec3& place = moments.at(moment - 1).points[limb][size_t(which)];
    const double since_s = moments.at(moment - 1).t_s;
    for (int i = moment + 1; i < moments.size() && moments.at(i).t_s - since_s <= rules_.gap_s; ++i) {
        const double crept_m = rules_.leave_m_s * (moments.at(i).t_s - since_s);
        if (is_near(moments, limb, which, i, level_m, rules_.enter_m_s, rules_.enter_height_m * scale_) &&
            (moments.at(i).points[limb][size_t(which)] - place).norm() <
                (rules_.same_place_m + crept_m) * scale_)
            return true;
    }
    return false;
}

bool ContactsAhead::stays(const Moments& moments, size_t limb, FootPoint which, int moment,
                          double level_m) const {
    return goes_on(moments, limb, which, moment, level_m) || resumes(moments, limb, which, moment, level_m);
}

/// A rest begins there, and is no shorter than one may be as far as is known.
bool ContactsAhead::comes_to_rest(const Moments& moments, size_t limb, FootPoint which, int moment,
                                  double& level_m) const {
    if (!begins(moments, limb, which, moment, level_m)) return false;
    const double enough_s = moments.at(moment).t_s + rules_.least_s / grown_;
    for (int i = moment + 1; i < moments.size() && moments.at(i).t_s < enough_s; ++i)
        if (!stays(moments, limb, which, i, level_m)) return false;
    return true;
}

void ContactsAhead::add_height(double height_m) {
    auto& levels = floor_.levels_m;
    for (size_t i = 0; i < levels.size(); ++i) {
        if (std::abs(levels[i] - height_m) > level_apart_m * scale_) continue;
        weights_[i] = std::min(most_rests, weights_[i] + 1.0);
        levels[i] += (height_m - levels[i]) / weights_[i];
        return;
    }
    const auto place = std::lower_bound(levels.begin(), levels.end(), height_m);
    weights_.insert(weights_.begin() + (place - levels.begin()), 1.0);
    levels.insert(place, height_m);
}

void ContactsAhead::look_for_levels(const Moments& moments) {
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const EndOp& end = program_.ends[limb];
        if (end.limb < 0 || !end.sole.is_on_floor()) continue;
        Rest& rest = rests_[limb];
        const int now = moments.now();
        const double t = moments.shown().t_s;
        if (speed(moments, limb, FootPoint::ball, now) > level_rest_m_s * grown_) {
            rest = {};
            continue;
        }
        if (rest.count++ == 0) rest.since_s = t;
        rest.height_m +=
            (moments.shown().points[limb][size_t(FootPoint::ball)].y() - rest.height_m) / rest.count;
        if (t - rest.since_s < level_rest_s || rest.is_told) continue;
        rest.is_told = true;
        add_height(rest.height_m);
    }
}

void ContactsAhead::step(const Moments& moments) {
    const int now = moments.now();
    const double t = moments.shown().t_s;
    const double from = std::max(moments.first_s(), t - body_reach_s);
    const double to = std::min(moments.last_s(), t + body_reach_s);
    if (to - from > 1e-6) {
        const Vec3 way = moments.hips(to) - moments.hips(from);
        grown_ = std::max(1.0, std::hypot(way.x(), way.z()) / ((to - from) * scale_) - 0.5);
    }
    look_for_levels(moments);
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const EndOp& end = program_.ends[limb];
        if (end.limb < 0 || !end.sole.is_on_floor()) continue;
        for (const FootPoint which : end.sole.resting()) {
            Point& point = points_[limb][size_t(which)];
            point.is_held = point.is_held ? stays(moments, limb, which, now, point.level_m)
                                          : comes_to_rest(moments, limb, which, now, point.level_m);
            point.next = -1;
            point.held_to = now;
            if (point.is_held) {
                while (point.held_to + 1 < moments.size() &&
                       stays(moments, limb, which, point.held_to + 1, point.level_m))
                    ++point.held_to;
                continue;
            }
            for (int i = now + 1; i < moments.size() && point.next < 0; ++i)
                if (comes_to_rest(moments, limb, which, i, point.next_level_m)) point.next = i;
        }
    }
}

}  // namespace nb
