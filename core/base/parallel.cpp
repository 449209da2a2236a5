#include "core/base/parallel.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>

namespace nb {

void for_each_frame(int count, int threads, const std::function<void(int, int)>& body_of_range) {
    if (threads == 1) return body_of_range(0, count);
    const int most = tbb::this_task_arena::max_concurrency();
    tbb::task_arena arena(threads > 0 ? std::min(threads, most) : tbb::task_arena::automatic);
    arena.execute([&] {
        tbb::parallel_for(tbb::blocked_range<int>(0, count, 32), [&](const tbb::blocked_range<int>& range) {
            body_of_range(range.begin(), range.end());
        });
    });
}

}  // namespace nb
