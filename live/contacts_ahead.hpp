// Contacts of a stream, found as it goes: the rules of core/contact/contacts.hpp with what has come so far, and what has
// come already of what is not shown yet.
//
// A point rests from where it is slow and near a level (speed over +-25 ms, at 175 cm) until it is faster or farther, with
// hysteresis; thresholds grow with the speed of the body. Levels are those at which balls have rested so far: heights of
// 0.1 s of rest and more, joined while they lie within 6 cm of a level, whose height is their running mean.
#pragma once
#include <array>

#include "core/contact/contacts.hpp"
#include "live/moments.hpp"

namespace nb {

class ContactsAhead {
  public:
    explicit ContactsAhead(const Program& program, const ContactRules& rules = {});

    struct Point {
        bool is_held = false;
        double level_m = 0.0;  ///< in the source's world, kept from where the contact began
        /// Where it begins next: a moment by its place, -1: nowhere that is known yet; and on which level.
        int next = -1;
        double next_level_m = 0.0;
        int held_to = 0;  ///< the last moment known of through which it is held
    };
    /// Once a shown moment.
    void step(const Moments& moments);
    const Point& point(size_t limb, FootPoint which) const { return points_[limb][size_t(which)]; }
    const Floor& floor() const { return floor_; }
    /// Of a moment, shown or to come, m/s at 175 cm.
    double speed(const Moments& moments, size_t limb, FootPoint which, int moment) const;
    void clear();

  private:
    const Program& program_;
    const ContactRules rules_;
    double scale_ = 1.0, grown_ = 1.0;
    std::array<std::array<Point, 2>, limb_count> points_{};
    Floor floor_;
    std::vector<double> weights_;  ///< by level: how many rests it is the mean of
    struct Rest {
        double since_s = 0.0, height_m = 0.0;
        int count = 0;
        bool is_told = false;
    };
    std::array<Rest, limb_count> rests_{};

    void look_for_levels(const Moments& moments);
    void add_height(double height_m);
    bool is_near(const Moments& moments, size_t limb, FootPoint which, int moment, double level_m,
                 double most_m_s, double most_m) const;
    bool begins(const Moments& moments, size_t limb, FootPoint which, int moment, double& level_m) const;
    bool goes_on(const Moments& moments, size_t limb, FootPoint which, int moment, double level_m) const;
    bool resumes(const Moments& moments, size_t limb, FootPoint which, int moment, double level_m) const;
    bool stays(const Moments& moments, size_t limb, FootPoint which, int moment, double level_m) const;
    bool comes_to_rest(const Moments& moments, size_t limb, FootPoint which, int moment,
                       double& level_m) const;
};

}  // namespace nb
