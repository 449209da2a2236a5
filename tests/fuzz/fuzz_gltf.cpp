// glTF, text and binary: the reader alone.
#include "core/files/gltf/gltf.hpp"
#include "tests/fuzz/fuzz.hpp"

using namespace nb;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    const bool is_binary = size > 4 && std::string_view(reinterpret_cast<const char*>(data), 4) == "glTF";
    const std::string path = fuzz::file_of(data, size, is_binary ? ".glb" : ".gltf");
    fuzz::only_told({reinterpret_cast<const char*>(data), size}, [&] {
        const SkeletonFile file = read_gltf(path);
        fuzz::require(file.nodes.size() == file.skeleton.names.size(), "nodes and joints differ in number");
    });
    return 0;
}
