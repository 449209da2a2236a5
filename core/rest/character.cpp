#include "core/rest/character.hpp"

#include <fmt/format.h>

#include <random>

namespace nb {

bool can_be_transferred(const RoleMap& roles, std::string& why) {
    std::vector<std::string> missing;
    for (const auto* role :
         {"hips", "thigh.left", "shin.left", "foot.left", "thigh.right", "shin.right", "foot.right"})
        if (roles.joint(role) < 0) missing.emplace_back(role);
    why = fmt::format("no bone for {}", fmt::join(missing, ", "));
    return missing.empty();
}

std::string make_uuid() {
    std::random_device device;
    const auto word = [&device] { return static_cast<unsigned>(device()); };
    return fmt::format("{:08x}-{:04x}-4{:03x}-{:x}{:03x}-{:08x}{:04x}", word(), word() & 0xffffu,
                       word() & 0xfffu, 8u + (word() & 3u), word() & 0xfffu, word(), word() & 0xffffu);
}

}  // namespace nb
