// Files as whole things: written beside and renamed, made only where nothing is, moved only to free places.
#pragma once
#include <filesystem>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace nb {

/// The whole file. Throws FileError when it cannot be read, is a folder, or is larger than 2 GB.
std::string read_file(const std::string& path);
/// Writes beside the target and renames, so that a full disk or a crash leaves the old file whole.
void write_file(const std::string& path, std::string_view content);

/// Makes a file; false when something is there already. It appears whole or not at all. Throws FileError.
bool write_new_file(const std::string& path, std::string_view content);
/// As write_file, without waiting for the disk: for what is written often and whose
/// loss by a power cut costs a moment's work.
void write_file_soon(const std::string& path, std::string_view content);

/// As write_file, in parts: `produce` calls what it is given with each.
void write_file_in_parts(const std::string& path,
                         const std::function<void(const std::function<void(std::string_view)>&)>& produce);

/// What a folder holds, by name; nothing when it cannot be read.
std::vector<std::filesystem::path> sorted_entries(const std::string& folder);

/// Renames; false when `to` is there already. Throws FileError when `from` cannot be moved.
bool move_to_free(const std::string& from, const std::string& to);

/// Removes what writers that died left in a folder: their temporary files, older than a day.
void sweep_parts(const std::string& folder);

/// While it lives, other programs that change the same folder wait. Without effect where the file system has
/// no locks.
class FolderLock {
  public:
    enum class Wait { yes, no };
    explicit FolderLock(const std::string& folder, Wait wait = Wait::yes);
    ~FolderLock();
    FolderLock(const FolderLock&) = delete;
    FolderLock& operator=(const FolderLock&) = delete;

    /// False when it did not wait and another program has it.
    bool is_held() const { return is_held_; }

  private:
    int handle_ = -1;
    bool is_held_ = true;
};

/// A file that one program holds as long as it lives, however it ends.
class HeldFile {
  public:
    /// Makes the file when it is missing; `is_held` is false when another program holds it.
    explicit HeldFile(const std::string& path);
    ~HeldFile();
    HeldFile(const HeldFile&) = delete;
    HeldFile& operator=(const HeldFile&) = delete;
    bool is_held() const { return is_held_; }

  private:
    int handle_ = -1;
    bool is_held_ = false;
};

}  // namespace nb
