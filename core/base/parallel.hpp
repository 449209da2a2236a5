// Work on the frames of a motion, on several threads.
#pragma once
#include <functional>

namespace nb {

/// Runs body(first, last) over parts of [0, count) on at most `threads` threads (0: as many as there are
/// cores). The order is not set; every frame must write only its own results.
void for_each_frame(int count, int threads, const std::function<void(int, int)>& body_of_range);

}  // namespace nb
