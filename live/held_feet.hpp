// Feet that rest stay where they are, on-line: what contacts add to one frame after the other, from what is known by then.
//
// Of a foot, as the passes along time do it (core/solve/time): a point that comes to rest keeps the place at which it
// comes down, on its level; heel and ball together make one rigid pose; a foot that is let go of goes back to where it is
// asked. What would jump becomes an offset that dies away,
//   x(t) = (x0 + (v0 + w x0) t) exp(-w t)   (a critically damped spring; from memory),
// and what is known to come is led in over the time it is known before. The hips give way by the shortest way to
// what must be reached now, followed by such a spring on its way there and back, not faster than `most_hips_m_s`. On-line
// constraints before: Choi and Ko 2000 (from memory); the rest is this program's own.
#pragma once
#include <array>

#include "live/contacts_ahead.hpp"

namespace nb {

/// An offset that dies away.
template <typename Value>
struct DyingOffset {
    Value x = Value::Zero(), v = Value::Zero();
    void step(double dt, double w) {
        const double fall = std::exp(-w * dt);
        const Value pull = v + w * x;
        x = (x + pull * dt) * fall;
        v = (v - w * pull * dt) * fall;
    }
};

class HeldFeet {
  public:
    explicit HeldFeet(const Program& program);

    /// Fastest the hips give way, m/s at 175 cm.
    static constexpr double most_hips_m_s = 0.8;

    /// Once a shown moment, after `contacts`. What `run_passes` takes.
    const FrameCorrection& step(const Moments& moments, const ContactsAhead& contacts);
    /// What else moved an ankle as it was shown, m: it comes down there.
    void moved(size_t limb, const Vec3& by_m) { feet_[limb].aside_m = by_m; }
    void clear();

  private:
    enum class Mode { free, heel, ball, sole };
    struct Foot {
        Mode mode = Mode::free;
        int anchor = -1;  ///< the point that says where the ankle is; -1: none
        Vec3 place_m = Vec3::Zero();
        double level_m = 0.0;  ///< k * level of what it stands on
        bool has_level = false;
        Quat sole = Quat::Identity();
        DyingOffset<Vec3> turn, shift;
        Vec3 last_turn = Vec3::Zero(), last_shift = Vec3::Zero();  ///< as they went out
        Vec3 turn_v = Vec3::Zero(), shift_v = Vec3::Zero();
        Vec3 aside_m = Vec3::Zero();
        double weight = 0.0;
    };
    const Program& program_;
    double scale_ = 1.0;
    std::array<Foot, limb_count> feet_{};
    DyingOffset<Vec3> give_;
    Vec3 hips_m_ = Vec3::Zero();
    double last_s_ = 0.0;
    bool is_begun_ = false;
    FrameCorrection out_;

    void hold_foot(size_t limb, const Moments& moments, const ContactsAhead& contacts, double dt);
    Quat sole_of(const EndOp& end, const Quat& foot) const;
    struct Need {
        Vec3 to_m;
        double limit_m;
    };
    int needs(const Moments& moments, const ContactsAhead& contacts, int moment,
              std::array<Need, limb_count>& needs) const;
    void give_way(const Moments& moments, const ContactsAhead& contacts, double dt);
};

}  // namespace nb
