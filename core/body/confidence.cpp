#include "core/body/confidence.hpp"

#include <algorithm>

namespace nb {

double role_confidence(double share, std::string_view, bool is_bare) {
    return std::clamp(share * (is_bare ? 0.9 : 0.99), 0.0, 0.99);
}

}  // namespace nb
