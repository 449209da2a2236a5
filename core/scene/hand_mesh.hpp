// The last millimetres of a hand on another body: by the meshes of both, where surfaces (core/surface) tell too little. Looked
// at some times a second of a touch, between them led over.
#pragma once
#include <array>
#include <functional>
#include <vector>

#include "core/review/skin_gap.hpp"
#include "core/scene/cast.hpp"
#include "core/solve/program.hpp"

namespace nb {

/// An arm that goes along with its hand: it bends to it in the plane in which it is bent.
class ArmToHand {
  public:
    ArmToHand(const Character& body, const LimbOp& arm);

    /// A pose of the body, with the hand's joint at X_WH and all that hangs on it.
    Pose at(Pose pose, const Rigid& X_WH) const;

  private:
    int start_ = -1, mid_ = -1, tip_ = -1;
    std::vector<int> upper_, lower_, hand_;  ///< joints that go with each
};

/// `Cast::frame_near`, of those that the take has.
int frame_near(const Cast& cast, double scene_s);

class HandMesh {
  public:
    /// Without meshes nothing is known. `arm`: of the other body forearm and hand of that side alone. The characters must
    /// outlive it.
    HandMesh(const Character& of, Side side, const Character& on, Side arm = Side::none);

    /// By what a hand that is at X_WH has to move along `out` (unit, out of the other body) for it to touch the other's mesh,
    /// pressed in by 1 mm, m; zero where nothing is within 6 cm. `of`: the rest of its own body.
    Vec3 onto(const Pose& of, const Rigid& X_WH, const Pose& on, const Vec3& out) const;

  private:
    const Character &of_, &on_;
    int hand_ = -1;
    std::vector<SkinCorner> vertices_;
    std::vector<std::array<SkinCorner, 3>> triangles_;   ///< of the other body
    std::vector<std::vector<char>> of_hand_, of_other_;  ///< by mesh and vertex: those among the two

    /// Of the other body forearm and hand of a side alone.
    void keep_arm(Side arm);
};

/// Shifts found at times spread over a span, between them by smooth steps.
class SpacedShifts {
  public:
    SpacedShifts(double first_s, double last_s, const std::function<Vec3(double scene_s)>& find);
    Vec3 at(double scene_s) const;

  private:
    double first_s_ = 0.0, step_s_ = 1.0;
    std::vector<Vec3> shifts_;
};

}  // namespace nb
