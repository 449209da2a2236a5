// The whole way of a file into the program: read, the body found, brought into the world, written again.
#include "core/handover/export.hpp"
#include "core/intake/findings.hpp"
#include "core/intake/load.hpp"
#include "tests/fuzz/fuzz.hpp"

using namespace nb;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    const std::string_view bytes(reinterpret_cast<const char*>(data), size);
    const bool is_gltf = bytes.starts_with("glTF") || bytes.starts_with("{");
    const std::string path =
        is_gltf ? fuzz::file_of(data, size, bytes[0] == '{' ? ".gltf" : ".glb") : std::string("input.bvh");
    fuzz::only_told({reinterpret_cast<const char*>(data), size}, [&] {
        const LoadedFile file = is_gltf ? load_file(path) : load_bvh(bytes, path);
        find_in(file);
        for (const Vec3& p : file.character.rig.skeleton.rest_p)
            fuzz::require(p.allFinite(), "a bone that stands nowhere");
        if (!file.take || file.take->frames > 20) return;
        const std::string written = fuzz::file_of(data, 0, "-out.bvh");
        export_take(written, file.character, *file.take);
        load_file(written);
    });
    return 0;
}
