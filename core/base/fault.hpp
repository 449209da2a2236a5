// What is thrown when a file cannot be read or written: one line that says where, what, and what to do.
#pragma once
#include <stdexcept>
#include <string>
#include <string_view>

namespace nb {

class FileError : public std::runtime_error {
  public:
    /// Message "path:line:column: what; remedy". Line and column are left out when 0.
    FileError(std::string_view path, int line, int column, std::string_view what, std::string_view remedy);
    FileError(std::string_view path, std::string_view what, std::string_view remedy)
        : FileError(path, 0, 0, what, remedy) {}
};

}  // namespace nb
