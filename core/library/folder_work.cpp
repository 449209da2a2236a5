#include "core/library/folder_work.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/documents/format.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {
constexpr const char* writable = "choose a folder that can be written";
}  // namespace

std::string folder_name(const std::string& name) {
    std::string result;
    for (const char c : name) {
        if ((c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'))
            result += c;
        else if (c >= 'A' && c <= 'Z')
            result += char(c + 32);
        else if (!result.empty() && result.back() != '-')
            result += '-';
    }
    while (!result.empty() && result.back() == '-') result.pop_back();
    return result.empty() ? "unnamed" : result.substr(0, 80);
}

void make_folder(const fs::path& folder) {
    std::error_code error;
    fs::create_directories(folder, error);
    if (error) throw FileError(folder.string(), error.message(), writable);
}

void need_folder(const Library& library) {
    std::error_code error;
    if (!fs::exists(fs::path(library.folder) / "library.json", error))
        throw FileError(library.folder, "is not there any more",
                        "bring the folder back, or open another library");
}

std::string free_name(const fs::path& folder, const std::string& wanted) {
    std::error_code error;
    for (int n = 1;; ++n) {
        std::string name = n == 1 ? wanted : fmt::format("{}-{}", wanted, n);
        if (!fs::exists(folder / name, error)) return name;
    }
}

std::vector<std::string> files_beside(const std::string& gltf_path) {
    std::vector<std::string> result;
    if (fs::path(gltf_path).extension() != ".gltf") return result;
    const Json document = parse_json(read_file(gltf_path), gltf_path);
    for (const auto* list : {"buffers", "images"}) {
        if (!document.is_object() || !document.contains(list)) continue;
        for (const Json& item : document[list]) {
            const std::string uri = item.is_object() ? text_in(item, "uri", "", gltf_path) : "";
            const fs::path path(uri);
            const bool leads_out = std::find(path.begin(), path.end(), "..") != path.end();
            if (!uri.empty() && !uri.starts_with("data:") && path.is_relative() && !leads_out)
                result.push_back(uri);
        }
    }
    return result;
}

void copy_beside(const std::string& from_file, const fs::path& to_folder) {
    for (const std::string& beside : files_beside(from_file)) {
        const fs::path to = to_folder / beside;
        make_folder(to.parent_path());
        const std::string content = read_file((fs::path(from_file).parent_path() / beside).string());
        if (!write_new_file(to.string(), content) && read_file(to.string()) != content)
            throw FileError(to.string(), "is there already, and is another file",
                            "rename what the .gltf refers to, or make it a .glb");
    }
}

}  // namespace nb
