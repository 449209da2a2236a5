// The solve of a stream: frames in as they come, the target's pose out for a time on the sender's clock.
//
// Angles, root, reach and twist are those of a take (core/solve/passes.hpp), frame by frame; what rests is found and held
// on-line (live/contacts_ahead.hpp, live/held_feet.hpp), things in two hands (live/held_things.hpp), and limbs kept out of the
// body (live/cleared_limbs.hpp). Left out, since they look at a take whole: hands that touch, touch-ups that come and go; the
// exact solve of the recording has them.
#pragma once
#include <memory>

#include "core/solve/plan.hpp"
#include "live/cleared_limbs.hpp"
#include "live/held_feet.hpp"
#include "live/held_things.hpp"

namespace nb {

class LiveSolve {
  public:
    /// Throws FileError when a character lacks hips or legs.
    LiveSolve(const Character& source, const Character& target, const PairingSettings& settings);
    LiveSolve(const LiveSolve&) = delete;
    LiveSolve& operator=(const LiveSolve&) = delete;

    /// As `Moments::add`. The first one says where the place map's centre is, where that is its first place.
    bool add(long number, double t_s, const Take& take, int frame);
    /// Shows the newest that is not after `t_s`; the ones it skips are never posed. False when that was shown before.
    /// Without `may_look` nobody asks whether limbs lie in the body: what was found last goes on (live/cleared_limbs.hpp).
    bool show(double t_s, bool may_look = true);
    /// World poses of what is shown.
    const Pose& target() const { return target_; }
    const Moment& shown() const { return moments_.shown(); }
    bool has_shown() const { return moments_.now() >= 0; }
    const Moments& moments() const { return moments_; }
    const ContactsAhead& contacts() const { return contacts_; }
    const HeldThings& things() const { return things_; }
    const FrameCorrection& held() const { return held_; }
    const Plan& plan() const { return *plan_; }
    /// Forgets what has come: another stream begins.
    void clear();

  private:
    const Skeleton source_, skeleton_;  ///< of source and target
    std::unique_ptr<Plan> plan_;
    const bool is_about_first_;
    Moments moments_;
    ContactsAhead contacts_;
    HeldFeet feet_;
    HeldThings things_;
    ClearedLimbs limbs_;
    FrameCorrection held_;
    Pose target_;
    WorldMotion one_;  ///< the same, where a root bone carries the travel
    double heading_ = 0.0;

    void lead_root();
};

}  // namespace nb
