// FNV-1a, 64 bit (Fowler, Noll, Vo): names for things, not security.
#pragma once
#include <cstdint>
#include <string>
#include <string_view>

namespace nb {

inline constexpr std::uint64_t fnv_start = 14695981039346656037ull;

inline std::uint64_t fnv1a(std::string_view bytes, std::uint64_t hash = fnv_start) {
    for (const char c : bytes) hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211ull;
    return hash;
}

/// The same as sixteen hexadecimal digits.
std::string hash_word(std::string_view bytes);

}  // namespace nb
