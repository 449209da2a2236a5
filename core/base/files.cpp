#include "core/base/files.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <functional>

#include "core/base/fault.hpp"
#include "core/base/text_encoding.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr const char* part_prefix = ".nb-";
constexpr const char* part_ending = ".part";

/// The file itself when `path` is a link to it.
fs::path behind_links(const std::string& path) {
    fs::path at(path);
    std::error_code error;
    for (int steps = 0; steps < 40 && fs::is_symlink(fs::symlink_status(at, error)); ++steps) {
        const fs::path to = fs::read_symlink(at, error);
        if (error) break;
        at = to.is_absolute() ? to : at.parent_path() / to;
    }
    return at;
}

/// A file beside the one to be, that takes its place at once or never.
class Part {
  public:
    Part(const fs::path& target, const std::string& shown) : shown_(shown) {
        static std::atomic<int> count{0};
        path_ = target.parent_path() /
                fmt::format("{}{}-{}{}", part_prefix, ::getpid(), count.fetch_add(1), part_ending);
        std::error_code error;
        const fs::path folder = target.parent_path().empty() ? fs::path(".") : target.parent_path();
        if (!fs::exists(folder, error))
            throw FileError(shown_, fmt::format("its folder {} is not there", shown_text(folder.string())),
                            "bring the folder back, or choose another");
        file_ = std::fopen(path_.c_str(), "wbx");
        if (!file_) throw FileError(shown_, std::strerror(errno), "choose a folder that can be written");
    }
    ~Part() {
        if (file_) std::fclose(file_);
        if (!is_placed_) std::remove(path_.c_str());
    }
    Part(const Part&) = delete;
    Part& operator=(const Part&) = delete;

    void write(std::string_view content, bool to_disk, const struct stat* like) {
        put(content);
        finish(to_disk, like);
    }
    void put(std::string_view content) {
        if (std::fwrite(content.data(), 1, content.size(), file_) != content.size()) fail(errno);
    }
    void finish(bool to_disk, const struct stat* like) {
        if (like) ::fchmod(::fileno(file_), like->st_mode & 07777);
        const bool wrote = std::fflush(file_) == 0 && (!to_disk || ::fsync(::fileno(file_)) == 0);
        const int fault = errno;
        std::fclose(file_);
        file_ = nullptr;
        if (!wrote) fail(fault);
    }
    [[noreturn]] void fail(int fault) const {
        throw FileError(shown_, fmt::format("could not be written ({})", std::strerror(fault)),
                        "free some space or choose another folder");
    }
    void replace(const fs::path& target) {
        if (std::rename(path_.c_str(), target.c_str()) != 0)
            throw FileError(shown_, std::strerror(errno), "choose another name");
        is_placed_ = true;
    }
    /// False when something is there.
    bool place(const fs::path& target) {
        is_placed_ = move_to_free(path_.string(), target.string());
        return is_placed_;
    }

  private:
    std::string shown_;
    fs::path path_;
    std::FILE* file_ = nullptr;
    bool is_placed_ = false;
};

using Produce = std::function<void(const std::function<void(std::string_view)>&)>;

void write_whole(const std::string& path, const Produce& produce, bool to_disk) {
    const fs::path target = behind_links(path);
    struct stat there {};
    const bool is_there = ::stat(target.c_str(), &there) == 0;
    if (is_there && S_ISDIR(there.st_mode)) throw FileError(path, "is a folder", "give a file name");
    if (is_there && !S_ISREG(there.st_mode)) {
        // A pipe or device takes what is written; nothing can stand in its place.
        std::FILE* file = std::fopen(target.c_str(), "wb");
        bool wrote = file != nullptr;
        if (file)
            produce([&](std::string_view content) {
                wrote = wrote && std::fwrite(content.data(), 1, content.size(), file) == content.size();
            });
        wrote = wrote && std::fflush(file) == 0;
        const int fault = errno;
        if (file) std::fclose(file);
        if (!wrote)
            throw FileError(path, fmt::format("could not be written ({})", std::strerror(fault)),
                            "choose another place");
        return;
    }
    if (is_there && (there.st_mode & 0222) == 0)
        throw FileError(path, "is read-only", "make it writable or choose another name");
    Part part(target, path);
    produce([&](std::string_view content) { part.put(content); });
    part.finish(to_disk, is_there ? &there : nullptr);
    part.replace(target);
}

}  // namespace

std::string read_file(const std::string& path) {
    std::error_code error;
    if (fs::is_directory(path, error)) throw FileError(path, "is a folder", "give a file");
    std::FILE* file = std::fopen(path.c_str(), "rb");
    if (!file) throw FileError(path, std::strerror(errno), "check the path and its permissions");
    std::string content;
    const auto size = fs::file_size(path, error);
    if (!error && size > (std::uintmax_t{2} << 30)) {
        std::fclose(file);
        throw FileError(path, "is larger than 2 GB", "split the take");
    }
    if (!error) content.reserve(size);
    char buffer[1 << 16];
    size_t count = 0;
    while ((count = std::fread(buffer, 1, sizeof buffer, file)) > 0) {
        content.append(buffer, count);
        // A pipe has no size before it ends.
        if (content.size() > (size_t{2} << 30)) {
            std::fclose(file);
            throw FileError(path, "is larger than 2 GB", "split the take");
        }
    }
    const bool failed = std::ferror(file) != 0;
    std::fclose(file);
    if (failed) throw FileError(path, "reading stopped half way", "check the disk");
    return content;
}

void write_file(const std::string& path, std::string_view content) {
    write_whole(
        path, [&](const auto& put) { put(content); }, true);
}

void write_file_soon(const std::string& path, std::string_view content) {
    write_whole(
        path, [&](const auto& put) { put(content); }, false);
}

void write_file_in_parts(const std::string& path, const Produce& produce) {
    write_whole(path, produce, true);
}

bool write_new_file(const std::string& path, std::string_view content) {
    const fs::path target(path);
    Part part(target, path);
    part.write(content, true, nullptr);
    return part.place(target);
}

std::vector<fs::path> sorted_entries(const std::string& folder) {
    std::vector<fs::path> paths;
    std::error_code error;
    for (auto it = fs::directory_iterator(folder.empty() ? "." : folder, error);
         !error && it != fs::directory_iterator(); it.increment(error))
        paths.push_back(it->path());
    std::sort(paths.begin(), paths.end());
    return paths;
}

bool move_to_free(const std::string& from, const std::string& to) {
    if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) == 0) return true;
    if (errno == EEXIST || errno == ENOTEMPTY) return false;
    std::error_code error;
    if (errno == EINVAL || errno == ENOSYS) {
        // A file system that cannot rename without replacing (some shares): looked at first.
        if (fs::exists(fs::symlink_status(to, error))) return false;
        fs::rename(from, to, error);
        if (!error) return true;
        throw FileError(from, error.message(), "choose a folder that can be written");
    }
    throw FileError(from, std::strerror(errno), "choose a folder that can be written");
}

void sweep_parts(const std::string& folder) {
    std::error_code error;
    const auto yesterday = fs::file_time_type::clock::now() - std::chrono::hours(24);
    for (auto it = fs::directory_iterator(folder, error); !error && it != fs::directory_iterator();
         it.increment(error)) {
        const std::string name = it->path().filename().string();
        std::error_code ignored;
        if (name.starts_with(part_prefix) && name.ends_with(part_ending) && it->is_regular_file(ignored) &&
            it->last_write_time(ignored) < yesterday)
            fs::remove(it->path(), ignored);
    }
}

FolderLock::FolderLock(const std::string& folder, Wait wait)
    : handle_(::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)) {
    if (handle_ < 0) return;
    const bool is_locked = ::flock(handle_, LOCK_EX | (wait == Wait::no ? LOCK_NB : 0)) == 0;
    is_held_ = is_locked || errno != EWOULDBLOCK;
}

FolderLock::~FolderLock() {
    if (handle_ >= 0) ::close(handle_);
}

HeldFile::HeldFile(const std::string& path)
    : handle_(::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600)) {
    is_held_ = handle_ >= 0 && ::flock(handle_, LOCK_EX | LOCK_NB) == 0;
}

HeldFile::~HeldFile() {
    if (handle_ >= 0) ::close(handle_);
}

}  // namespace nb
