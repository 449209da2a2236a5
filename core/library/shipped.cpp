#include "core/library/shipped.hpp"

#include <cstdlib>
#include <filesystem>
#include <vector>

#include "core/base/fault.hpp"

namespace nb {

namespace fs = std::filesystem;

std::string find_shipped(const std::string& path) {
    std::vector<fs::path> places;
    if (const char* share = std::getenv("NB_SHARE")) places.emplace_back(share);
    std::error_code error;
    const fs::path program = fs::read_symlink("/proc/self/exe", error);
    if (!error) places.push_back(program.parent_path() / ".." / "share" / "nimble-bone");
    places.emplace_back(NB_SOURCE_DIR "/demo-library");
    places.emplace_back(NB_SOURCE_DIR "/docs");
    for (const fs::path& place : places)
        if (fs::exists(place / path, error)) return (place / path).lexically_normal().string();
    return {};
}

std::string limbering_take() {
    if (std::string take = find_shipped("takes/limbering.bvh"); !take.empty()) return take;
    throw FileError("limbering.bvh", "the shipped take is not found",
                    "set NB_SHARE to the folder that has takes/");
}

std::string limbering_document() {
    const fs::path document = fs::path(limbering_take()).replace_extension(".take.json");
    return fs::exists(document) ? document.string() : limbering_take();
}

}  // namespace nb
