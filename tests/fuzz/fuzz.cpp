#include "tests/fuzz/fuzz.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <filesystem>

namespace nb::fuzz {

std::string file_of(const std::uint8_t* data, size_t size, const char* ending) {
    static const std::filesystem::path folder = [] {
        const bool is_in_memory = std::filesystem::exists("/dev/shm");
        const auto made =
            (is_in_memory ? std::filesystem::path("/dev/shm") : std::filesystem::temp_directory_path()) /
            ("nb-fuzz-" + std::to_string(::getpid()));
        std::filesystem::create_directories(made);
        return made;
    }();
    const std::string path = (folder / ("input" + std::string(ending))).string();
    const int file = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    require(file >= 0 && ::write(file, data, size) == ssize_t(size), "the input cannot be written");
    ::close(file);
    return path;
}

}  // namespace nb::fuzz
