#include "core/library/kept.hpp"

#include <fmt/format.h>

#include "core/base/fault.hpp"
#include "core/handover/name_pattern.hpp"

namespace nb {

std::string kept_place(const Library& library, const std::string& folder, const std::string& name) {
    const std::string file = file_stem(name);
    if (const std::string why = why_illegal(file); !why.empty())
        throw FileError(library.folder, fmt::format("nothing can be kept as '{}': {}", name, why),
                        "choose another name");
    return (std::filesystem::path(library.folder) / folder / (file + ".json")).string();
}

}  // namespace nb
