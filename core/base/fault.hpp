// What is thrown when a file cannot be read or written: one line that says where, what, and what to do.
#pragma once
#include <cstdint>
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

/// The whole file. Throws FileError when it cannot be read, is a folder, or is larger than 2 GB.
std::string read_file(const std::string& path);
/// Writes beside the target and renames, so that a full disk or a crash leaves the old file whole.
void write_file(const std::string& path, std::string_view content);

}  // namespace nb
