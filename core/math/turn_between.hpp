// The turn that brings points onto others.
#pragma once
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// U that makes sum w_i |is_i - U was_i|^2 least (Kabsch 1976; from memory), a turn, never a mirror; where all lie on one line
/// through the origin the least turn that does. As many of both; empty weights: all 1. Without points: none.
Quat turn_between(const std::vector<Vec3>& was, const std::vector<Vec3>& is,
                  const std::vector<double>& weights = {});

}  // namespace nb
