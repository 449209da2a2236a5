#include "core/base/fault.hpp"

#include <fmt/format.h>

#include "core/base/text_encoding.hpp"

namespace nb {

namespace {

std::string where(std::string_view path, int line, int column) {
    const std::string shown = shown_text(path);
    return line > 0 ? fmt::format("{}:{}:{}", shown, line, column) : shown;
}

}  // namespace

FileError::FileError(std::string_view path, int line, int column, std::string_view what,
                     std::string_view remedy)
    : std::runtime_error(remedy.empty() ? fmt::format("{}: {}", where(path, line, column), shown_text(what))
                                        : fmt::format("{}: {}; {}", where(path, line, column),
                                                      shown_text(what), shown_text(remedy))) {}

}  // namespace nb
