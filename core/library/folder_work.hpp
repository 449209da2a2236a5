// What all that changes a library's folder does.
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/library/library.hpp"

namespace nb {

/// Letters, digits and dashes: safe on every file system.
std::string folder_name(const std::string& name);
/// With those above it. Throws FileError.
void make_folder(const std::filesystem::path& folder);
/// A library that has vanished is not made anew under somebody's feet: throws FileError.
void need_folder(const Library& library);
/// A name in the folder that nothing has yet: "walk", "walk-2" ...
std::string free_name(const std::filesystem::path& folder, const std::string& wanted);
/// Files beside a .gltf that it refers to by relative names.
std::vector<std::string> files_beside(const std::string& gltf_path);
/// Copies what a .gltf refers to. What is there already must be the same: throws FileError.
void copy_beside(const std::string& from_file, const std::filesystem::path& to_folder);

/// Removes a half-made folder or file when what makes it throws.
class Undone {
  public:
    explicit Undone(std::filesystem::path path) : path_(std::move(path)) {}
    ~Undone() {
        std::error_code error;
        if (!is_kept_) std::filesystem::remove_all(path_, error);
    }
    Undone(const Undone&) = delete;
    Undone& operator=(const Undone&) = delete;
    void keep() { is_kept_ = true; }

  private:
    std::filesystem::path path_;
    bool is_kept_ = false;
};

}  // namespace nb
