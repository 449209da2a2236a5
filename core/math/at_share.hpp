// The value that lies at a share of the way through values in their order.
#pragma once
#include <algorithm>
#include <cstddef>
#include <vector>

namespace nb {

/// `share` 0..1 of the way from the least to the largest, the lower neighbour. There must be values; their order is changed.
inline double at_share(std::vector<double>& values, double share) {
    const auto at = values.begin() + std::ptrdiff_t(share * double(values.size() - 1));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

}  // namespace nb
