#include "core/solve/stretch.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

double soften_stretch(double wanted, double source, double from) {
    return soften_beyond(wanted, std::min(std::max(source, from), 1.0));
}

double soften_moved(double wanted, double now) {
    return soften_beyond(wanted, std::min(0.9999, std::max(now, 0.95)));
}

double held_stretch(double source, bool has_hock) {
    return std::clamp(source, 0.98, has_hock ? 0.9999 : 0.995);
}

double led_reach_m(double length_m, double source, bool has_hock, double weight) {
    constexpr double slack = 0.03;
    return length_m * (held_stretch(source, has_hock) + (1.0 - weight) * slack);
}

double soften_beyond(double wanted, double free) {
    if (wanted <= free) return wanted;
    const double left = 1.0 - free;
    if (left < 1e-12) return free;
    return free + left * (1.0 - std::exp(-(wanted - free) / left));
}

}  // namespace nb
