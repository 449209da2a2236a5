#include "core/motion/take.hpp"

#include <cmath>

namespace nb {

double Take::nominal_fps() const {
    const size_t point = frame_time_text.find('.');
    const size_t end = frame_time_text.find_last_of("0123456789");
    if (point == std::string::npos || end < point || frame_time_text.find_first_of("eE") != std::string::npos)
        return fps();
    const double last_digit = std::pow(10.0, -double(end - point));
    const double whole = std::round(fps());
    return whole > 0.0 && std::abs(1.0 / whole - frame_time_s) <= last_digit ? whole : fps();
}

}  // namespace nb
