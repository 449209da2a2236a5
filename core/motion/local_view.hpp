// The local motion of joints whose world motion is known, frame by frame.
#pragma once
#include "core/motion/kinematics.hpp"
#include "core/motion/motion_view.hpp"

namespace nb {

class LocalView : public MotionView {
  public:
    /// `about`: as of MotionView, its frames and joints those of `world`. All must outlive the view.
    LocalView(const Skeleton& skeleton, const Take& about, const WorldMotion& world)
        : MotionView(about), skeleton_(skeleton), world_(world) {}
    Quat rotation(int frame, int joint) const override {
        const int parent = skeleton_.parents[size_t(joint)];
        const Quat& R = world_.R[world_.at(frame, joint)];
        if (parent < 0) return R;
        return (world_.R[world_.at(frame, parent)].conjugate() * R).normalized();
    }
    Vec3 translation(int frame, size_t translated) const override {
        const int joint = about().translated[translated];
        const int parent = skeleton_.parents[size_t(joint)];
        const Vec3& p = world_.p[world_.at(frame, joint)];
        if (parent < 0) return p;
        return world_.R[world_.at(frame, parent)].conjugate() * Vec3(p - world_.p[world_.at(frame, parent)]);
    }

  private:
    const Skeleton& skeleton_;
    const WorldMotion& world_;
};

}  // namespace nb
