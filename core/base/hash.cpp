#include "core/base/hash.hpp"

#include <fmt/format.h>

namespace nb {

std::string hash_word(std::string_view bytes) {
    return fmt::format("{:016x}", fnv1a(bytes));
}

}  // namespace nb
