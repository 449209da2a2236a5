// The local motion of a result, frame by frame from its world motion, and which joints have places in it.
#pragma once
#include "core/motion/local_view.hpp"
#include "core/solve/engine.hpp"

namespace nb {

/// Joints of the target with places of their own in a result, rising: what moves the body, what its parent does not carry,
/// bones whose lengths or places follow.
std::vector<int> placed_joints(const Program& program);

/// The same numbers as `result.take` holds when it was baked, also when it was not.
class ResultView : public LocalView {
  public:
    ResultView(const Skeleton& skeleton, const TransferResult& result)
        : LocalView(skeleton, result.take, result.target) {}
};

}  // namespace nb
