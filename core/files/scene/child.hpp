// Other scene formats are read by a reader of many hands (Assimp). It runs in a process of its own, the same
// program started with `--read-scene`, with limits of memory, time and files: what breaks there is one line
// here.
#pragma once
#include <cstddef>
#include <string>

#include "core/files/skeleton_file.hpp"

namespace nb {

/// First in main(): does the reading and gives true when this process was started for it; `exit_code` is then
/// what main returns.
bool serve_scene_reader(int argc, char** argv, int& exit_code);

/// What a process of its own reads of a scene file (core/files/scene/scene.hpp). Throws FileError.
SkeletonFile read_scene_apart(const std::string& path, int animation);

/// What the process may use: bytes of address space, seconds of a processor. They grow with the file.
struct ReaderLimits {
    size_t memory_bytes = 0;
    int seconds = 0;
};
ReaderLimits reader_limits(size_t file_bytes);

/// A skeleton file as bytes, and back. `unpack` throws FileError naming `path` for bytes that are no such
/// file or whose counts and indices do not fit each other.
std::string pack(SkeletonFile& file);
SkeletonFile unpack(const std::string& bytes, const std::string& path);

}  // namespace nb
