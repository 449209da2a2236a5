// Documents kept with a library by their names, in a folder of their own: orders/<name>.json, joins/<name>.json.
#pragma once
#include <exception>
#include <filesystem>
#include <string>
#include <vector>

#include "core/base/files.hpp"
#include "core/library/library.hpp"

namespace nb {

/// Where one of that name is kept. Throws FileError for a name that cannot be one.
std::string kept_place(const Library& library, const std::string& folder, const std::string& name);

/// All of a folder by name; those that cannot be read are told in `troubles`. Kept: {path, what `read` gives}.
template <typename Kept, typename Read>
std::vector<Kept> kept_documents(const Library& library, const std::string& folder,
                                 std::vector<std::string>& troubles, Read read) {
    std::vector<Kept> all;
    for (const auto& entry : sorted_entries((std::filesystem::path(library.folder) / folder).string())) {
        if (entry.extension() != ".json" || entry.filename().string().ends_with(".report.json")) continue;
        try {
            all.push_back({entry.string(), read(entry.string())});
        } catch (const std::exception& error) {
            troubles.emplace_back(error.what());
        }
    }
    return all;
}

}  // namespace nb
