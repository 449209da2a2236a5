// What the harnesses share. A reader may refuse an input in one line, and nothing else: what comes out is
// finite and whole.
#pragma once
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <string_view>

#include "core/base/fault.hpp"

namespace nb::fuzz {

inline void require(bool holds, const char* what) {
    if (holds) return;
    std::fprintf(stderr, "fuzz: %s\n", what);
    std::abort();
}

/// Runs `read`; FileError is the only way out, and it is one line in our words (or the input's).
template <typename Read>
void only_told(std::string_view input, Read&& read) {
    try {
        read();
    } catch (const FileError& fault) {
        const std::string_view line = fault.what();
        require(line.find('\n') == std::string_view::npos, "a line break in what is said");
        for (const char* raw : {"json.exception", "std::", "vector::", "basic_string"})
            require(line.find(raw) == std::string_view::npos || input.find(raw) != std::string_view::npos,
                    "raw words in what is said");
    }
}

/// A file of that ending with these bytes, written anew for each input; memory alone holds it.
std::string file_of(const std::uint8_t* data, size_t size, const char* ending);

}  // namespace nb::fuzz
