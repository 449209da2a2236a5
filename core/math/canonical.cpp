#include "core/math/canonical.hpp"

#include <fmt/format.h>

#include <cmath>
#include <cstdlib>

namespace nb {

double canonical(double x) {
    if (!std::isfinite(x)) return x;
    const double rounded = std::strtod(fmt::format("{:.12g}", x).c_str(), nullptr);
    return rounded == 0.0 ? 0.0 : rounded;
}

double canonical_in(double x, double unit) {
    return canonical(std::round(x / unit * 1e9) / 1e9);
}

}  // namespace nb
