#include "core/base/uuid.hpp"

#include <fmt/format.h>

#include <random>

namespace nb {

std::string make_uuid() {
    std::random_device device;
    const auto word = [&device] { return static_cast<unsigned>(device()); };
    return fmt::format("{:08x}-{:04x}-4{:03x}-{:x}{:03x}-{:08x}{:04x}", word(), word() & 0xffffu,
                       word() & 0xfffu, 8u + (word() & 3u), word() & 0xfffu, word(), word() & 0xffffu);
}

}  // namespace nb
