// The local motion of a result, frame by frame from its world motion.
#pragma once
#include "core/motion/local_view.hpp"
#include "core/solve/engine.hpp"

namespace nb {

/// The same numbers as `result.take` holds when it was baked, also when it was not.
class ResultView : public LocalView {
  public:
    ResultView(const Skeleton& skeleton, const TransferResult& result)
        : LocalView(skeleton, result.take, result.target) {}
};

}  // namespace nb
