// BVH text: read, and what was read written and read again.
#include "core/files/bvh.hpp"
#include "tests/fuzz/fuzz.hpp"

using namespace nb;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    fuzz::only_told({reinterpret_cast<const char*>(data), size}, [&] {
        const SkeletonFile file = parse_bvh({reinterpret_cast<const char*>(data), size}, "input.bvh");
        for (const Quat& R : file.take.R)
            fuzz::require(R.coeffs().allFinite(), "a rotation that is no number");
        if (file.skeleton.size() > 200 || file.take.frames > 50) return;
        const SkeletonFile again = parse_bvh(format_bvh(file), "again.bvh");
        fuzz::require(again.skeleton.size() == file.skeleton.size(), "bones were lost on the way");
        fuzz::require(again.take.frames == file.take.frames || file.take.frames == 0 || file.take.R.empty(),
                      "frames were lost on the way");
    });
    return 0;
}
