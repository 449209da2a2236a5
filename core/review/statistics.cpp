#include "core/review/statistics.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

double nearest_rank(std::vector<double>& values, double share) {
    if (values.empty()) return 0.0;
    const auto at = values.begin() + std::ptrdiff_t(std::ceil(share * double(values.size()))) - 1;
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

Stat statistics(const std::vector<double>& values, const std::vector<int>& frames) {
    Stat stat;
    stat.count = int(values.size());
    if (values.empty()) return stat;
    const auto worst = std::max_element(values.begin(), values.end());
    stat.max = *worst;
    stat.worst_frame = frames[size_t(worst - values.begin())];
    std::vector<double> ranked = values;
    stat.median = nearest_rank(ranked, 0.5);
    stat.p95 = nearest_rank(ranked, 0.95);
    return stat;
}

}  // namespace nb
