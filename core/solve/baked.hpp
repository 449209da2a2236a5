// The local motion of a result, frame by frame from its world motion.
#pragma once
#include "core/motion/motion_view.hpp"
#include "core/solve/engine.hpp"

namespace nb {

/// The same numbers as `result.take` holds when it was baked, also when it was not.
class ResultView : public MotionView {
  public:
    ResultView(const Skeleton& skeleton, const TransferResult& result)
        : MotionView(result.take), skeleton_(skeleton), result_(result) {}
    Quat rotation(int frame, int joint) const override {
        const int parent = skeleton_.parents[size_t(joint)];
        const Quat& R = result_.target.R[result_.target.at(frame, joint)];
        if (parent < 0) return R;
        return (result_.target.R[result_.target.at(frame, parent)].conjugate() * R).normalized();
    }
    Vec3 translation(int frame, size_t translated) const override {
        const int joint = about().translated[translated];
        const int parent = skeleton_.parents[size_t(joint)];
        const Vec3& p = result_.target.p[result_.target.at(frame, joint)];
        if (parent < 0) return p;
        return result_.target.R[result_.target.at(frame, parent)].conjugate() *
               Vec3(p - result_.target.p[result_.target.at(frame, parent)]);
    }

  private:
    const Skeleton& skeleton_;
    const TransferResult& result_;
};

}  // namespace nb
