#include "core/io/file_error.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>

namespace nb {

namespace {

std::string where(std::string_view path, int line, int column) {
    return line > 0 ? fmt::format("{}:{}:{}", path, line, column) : std::string(path);
}

}  // namespace

FileError::FileError(std::string_view path, int line, int column, std::string_view what,
                     std::string_view remedy)
    : std::runtime_error(remedy.empty()
                             ? fmt::format("{}: {}", where(path, line, column), what)
                             : fmt::format("{}: {}; {}", where(path, line, column), what, remedy)) {}

std::string read_file(const std::string& path) {
    std::error_code error;
    if (std::filesystem::is_directory(path, error)) throw FileError(path, "is a folder", "give a file");
    std::FILE* file = std::fopen(path.c_str(), "rb");
    if (!file) throw FileError(path, std::strerror(errno), "check the path and its permissions");
    std::string content;
    const auto size = std::filesystem::file_size(path, error);
    if (!error && size > (std::uintmax_t{2} << 30)) {
        std::fclose(file);
        throw FileError(path, "is larger than 2 GB", "split the take");
    }
    if (!error) content.reserve(size);
    char buffer[1 << 16];
    size_t count = 0;
    while ((count = std::fread(buffer, 1, sizeof buffer, file)) > 0) content.append(buffer, count);
    const bool failed = std::ferror(file) != 0;
    std::fclose(file);
    if (failed) throw FileError(path, "reading stopped half way", "check the disk");
    return content;
}

void write_file(const std::string& path, std::string_view content) {
    const std::string temporary = fmt::format("{}.{}.part", path, ::getpid());
    std::FILE* file = std::fopen(temporary.c_str(), "wb");
    if (!file) throw FileError(path, std::strerror(errno), "choose a folder that can be written");
    const bool wrote = std::fwrite(content.data(), 1, content.size(), file) == content.size() &&
                       std::fflush(file) == 0 && ::fsync(::fileno(file)) == 0;
    const int write_errno = errno;
    std::fclose(file);
    if (!wrote) {
        std::remove(temporary.c_str());
        throw FileError(path, fmt::format("could not be written ({})", std::strerror(write_errno)),
                        "free some space or choose another folder");
    }
    if (std::rename(temporary.c_str(), path.c_str()) != 0) {
        const int rename_errno = errno;
        std::remove(temporary.c_str());
        throw FileError(path, std::strerror(rename_errno), "choose another name");
    }
}

}  // namespace nb
