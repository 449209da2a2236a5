// Arms and legs that stay out of the body, on-line: the pass clear (core/solve/clear_way.hpp) over what is known by then.
//
// 40 times a second the newest frame that has come is posed and looked at; the way out is that of a take which reaches from a
// while ago to that frame. What was shown already stays: where the way comes out otherwise than it was, the difference dies
// away (live/held_feet.hpp).
#pragma once
#include <array>
#include <vector>

#include "core/solve/clear_way.hpp"
#include "core/solve/motion.hpp"
#include "live/held_feet.hpp"

namespace nb {

class ClearedLimbs {
  public:
    explicit ClearedLimbs(const Program& program);

    /// Once a shown moment, after the feet; into `held`, which is what they add. Without `may_look` the way goes on as it was
    /// found last.
    void step(const Moments& moments, const ContactsAhead& contacts, FrameCorrection& held, bool may_look);
    void clear();

  private:
    using OfLimbs = std::array<ClearVec, limb_count>;
    struct Key {
        double t_s = 0.0;
        OfLimbs x, weights;
        std::array<std::vector<ClearRow>, limb_count> rows;
    };
    const Program& program_;
    std::vector<Key> keys_;
    std::array<DyingOffset<ClearVec>, limb_count> offset_;
    double last_s_ = 0.0;
    WorldMotion source_;
    SolvedMotion posed_;

    void look(const Moment& newest, FrameCorrection held);
    void find_way();
    ClearVec way(size_t limb, double t_s) const;
};

}  // namespace nb
