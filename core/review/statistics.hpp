// What a series of values comes to.
#pragma once
#include <vector>

namespace nb {

struct Stat {
    double median = 0.0;
    double p95 = 0.0;
    double max = 0.0;
    int worst_frame = -1;
    int count = 0;  ///< samples it stands on
};
/// Median, 95th percentile (nearest rank) and maximum of values; frames[i] is where values[i] was met.
Stat statistics(const std::vector<double>& values, const std::vector<int>& frames);

/// The percentile of that share (0..1] by nearest rank; 0 of nothing. The order of `values` is changed.
double nearest_rank(std::vector<double>& values, double share);

}  // namespace nb
