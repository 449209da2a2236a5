// Things in two hands, on-line: what both hands hold keeps them as far apart as it is long (core/solve/hold.hpp).
//
// A thing is a root of the stream beside the body. Grips are those of a take (core/contact/grips.hpp) of the last
// `looked_back_s`, looked for 20 times a second; a hand keeps its grip while that point of it stays on the thing. The hands
// are put onto it as in a take (core/solve/hold.hpp); how long it is goes over from how far apart they are by themselves, and
// back, as what would jump dies away (live/held_feet.hpp).
#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/contact/grips.hpp"
#include "core/rest/character.hpp"
#include "core/solve/hold.hpp"
#include "live/held_feet.hpp"

namespace nb {

class HeldThings {
  public:
    /// `source` must outlive it.
    HeldThings(const Character& source, const Character& target, const PairingSettings& settings,
               const Program& program);

    static constexpr double looked_back_s = 0.6;

    /// Once a shown moment, after the feet: what the hands hold then, or are led away from. `held`: what feet add. The
    /// program holds nothing meanwhile.
    std::vector<HeldThing> step(const Moments& moments, const FrameCorrection& held);
    /// Both hands hold one thing now.
    bool are_held() const { return was_held_; }
    void clear();

  private:
    const Character source_;  ///< without its meshes
    const Program& program_;
    std::vector<int> things_;
    std::array<GripMap, 2> maps_;
    double to_reference_ = 1.0;
    WorldMotion seen_;  ///< the last that have come, oldest first
    std::vector<double> seen_s_;
    std::array<std::optional<Grip>, 2> grips_;
    double next_look_s_ = -1e30;
    std::vector<Quat> T_R_;
    std::vector<Vec3> T_p_;
    using Length = Eigen::Matrix<double, 1, 1>;
    DyingOffset<Length> offset_;  ///< of how much farther apart the hands are than by themselves, m
    Length last_ = Length::Zero(), last_v_ = Length::Zero();
    std::array<Grip, 2> last_grips_;
    double last_s_ = 0.0;
    bool was_held_ = false;

    void see(const Moments& moments);
    bool look();
    bool stays(const Grip& grip) const;
    const LimbOp* arm(size_t limb) const;
};

}  // namespace nb
