// A take at other times than its frames.
#pragma once
#include <vector>

#include "core/motion/take.hpp"

namespace nb {

/// One frame for each of `at`, in frames of the take, rising: between frames as `resample` has them; whole numbers
/// give that frame to the bit. Contacts, rate and whatever else is not a frame stay as they are.
Take sampled(const Take& take, const std::vector<double>& at);

}  // namespace nb
