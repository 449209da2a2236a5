// Comma-separated tables (RFC 4180).
#pragma once
#include <string>
#include <string_view>

namespace nb {

/// A text in quotes, its own quotes doubled.
inline std::string csv_cell(std::string_view text) {
    std::string quoted = "\"";
    for (const char c : text) {
        if (c == '"') quoted += '"';
        quoted += c;
    }
    quoted += '"';
    return quoted;
}

}  // namespace nb
