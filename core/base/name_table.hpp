// Names of an enumeration's values: a table of pairs, value and name, read both ways.
#pragma once
#include <optional>
#include <string_view>

namespace nb {

/// Empty for a value that is not in it.
template <typename Table, typename Value>
std::string_view name_in(const Table& table, const Value& value) {
    for (const auto& [one, name] : table)
        if (one == value) return name;
    return {};
}

/// Empty for a name that is not in it.
template <typename Table>
auto value_in(const Table& table, std::string_view name) {
    std::optional<typename Table::value_type::first_type> found;
    for (const auto& [one, its] : table)
        if (its == name) found = one;
    return found;
}

}  // namespace nb
