#include "core/base/version.hpp"

namespace nb {

const char* version() {
    return NB_VERSION;
}

}  // namespace nb
