// Lines of fields with tabs between: tables that only programs read.
#pragma once
#include <algorithm>
#include <charconv>
#include <string_view>
#include <vector>

namespace nb {

/// Without its line end; empty at the end of the text.
inline std::string_view take_line(std::string_view& text) {
    const size_t end = std::min(text.find('\n'), text.size());
    const std::string_view line = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    return line;
}

inline std::vector<std::string_view> tab_fields(std::string_view line) {
    std::vector<std::string_view> fields;
    for (size_t at = 0; at <= line.size();) {
        const size_t next = std::min(line.find('\t', at), line.size());
        fields.push_back(line.substr(at, next - at));
        at = next + 1;
    }
    return fields;
}

/// False when the field begins with no number of that kind.
template <typename Number>
bool read_number(std::string_view field, Number& value) {
    return std::from_chars(field.data(), field.data() + field.size(), value).ec == std::errc();
}

}  // namespace nb
