#include "core/files/scene/child.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <linux/landlock.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstdlib>
#include <cstring>
#include <exception>
#include <filesystem>
#include <new>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/watch.hpp"
#include "core/files/scene/scene.hpp"

extern char** environ;

namespace nb {

namespace fs = std::filesystem;

namespace {

// Under the address sanitizer all of the address space is spoken for.
#if defined(__SANITIZE_ADDRESS__)
constexpr bool shadows_memory = true;
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
constexpr bool shadows_memory = true;
#else
constexpr bool shadows_memory = false;
#endif
#else
constexpr bool shadows_memory = false;
#endif

constexpr const char* reader_word = "--read-scene";
constexpr char read_mark = 'S';
constexpr char fault_mark = 'E';
constexpr const char* remedy = "export the file again, or as .bvh or .glb";

std::atomic<bool> serves{false};

void limit(int resource, rlim_t value) {
    const rlimit both{value, value};
    ::setrlimit(static_cast<__rlimit_resource>(resource), &both);
}

/// Nothing of the file system but reading in the file's folder, where the kernel can (Landlock, Linux 5.13).
void see_only(const fs::path& folder) {
    landlock_ruleset_attr handled{};
    handled.handled_access_fs =
        LANDLOCK_ACCESS_FS_EXECUTE | LANDLOCK_ACCESS_FS_WRITE_FILE | LANDLOCK_ACCESS_FS_READ_FILE |
        LANDLOCK_ACCESS_FS_READ_DIR | LANDLOCK_ACCESS_FS_REMOVE_DIR | LANDLOCK_ACCESS_FS_REMOVE_FILE |
        LANDLOCK_ACCESS_FS_MAKE_CHAR | LANDLOCK_ACCESS_FS_MAKE_DIR | LANDLOCK_ACCESS_FS_MAKE_REG |
        LANDLOCK_ACCESS_FS_MAKE_SOCK | LANDLOCK_ACCESS_FS_MAKE_FIFO | LANDLOCK_ACCESS_FS_MAKE_BLOCK |
        LANDLOCK_ACCESS_FS_MAKE_SYM;
    const int ruleset = int(::syscall(SYS_landlock_create_ruleset, &handled, sizeof handled, 0));
    if (ruleset < 0) return;
    landlock_path_beneath_attr beneath{};
    beneath.allowed_access = LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_READ_DIR;
    beneath.parent_fd = ::open(folder.c_str(), O_PATH | O_CLOEXEC);
    if (beneath.parent_fd >= 0 &&
        ::syscall(SYS_landlock_add_rule, ruleset, LANDLOCK_RULE_PATH_BENEATH, &beneath, 0) == 0 &&
        ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) == 0)
        ::syscall(SYS_landlock_restrict_self, ruleset, 0);
    ::close(beneath.parent_fd);
    ::close(ruleset);
}

bool write_all(int handle, const std::string& bytes) {
    size_t at = 0;
    while (at < bytes.size()) {
        const ssize_t n = ::write(handle, bytes.data() + at, bytes.size() - at);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return false;
        at += size_t(n);
    }
    return true;
}

int read_here(const std::string& path, int animation) {
    std::error_code error;
    const auto size = fs::file_size(path, error);
    const ReaderLimits limits = reader_limits(error ? 0 : size_t(size));
    if (!shadows_memory) limit(RLIMIT_AS, limits.memory_bytes);
    limit(RLIMIT_CPU, rlim_t(limits.seconds));
    limit(RLIMIT_CORE, 0);
    limit(RLIMIT_FSIZE, 0);
    limit(RLIMIT_NPROC, 0);
    const fs::path folder = fs::path(path).parent_path();
    see_only(folder.empty() ? fs::path(".") : folder);
    std::string answer;
    try {
        SkeletonFile file = read_scene(path, animation);
        answer = read_mark + pack(file);
    } catch (const std::bad_alloc&) {
        answer = fmt::format("{}takes more than {:.1f} GB to read; {}", fault_mark,
                             double(limits.memory_bytes) / 1e9, remedy);
    } catch (const std::exception& fault) {
        // The file's own name stands before what is said of it.
        std::string line = fault.what();
        const std::string name = shown_text(path) + ": ";
        if (line.starts_with(name)) line.erase(0, name.size());
        answer = fault_mark + line;
    }
    // Whatever the library would still do on its way out is of no use.
    ::_exit(write_all(1, answer) ? 0 : 1);
}

/// The program that reads: this one, when its main serves; else nbone beside it.
std::string reader_program() {
    if (const char* named = std::getenv("NB_READER")) return named;
    if (serves) return "/proc/self/exe";
    std::error_code error;
    const fs::path folder = fs::read_symlink("/proc/self/exe", error).parent_path();
    for (const fs::path& place : {folder / "nbone", folder.parent_path() / "nbone"})
        if (fs::exists(place, error)) return place.string();
    throw FileError("nbone", "is not found beside the program; it reads other scene formats",
                    "install it there, or set NB_READER to its place");
}

/// What the process said, until it ended or its time was over.
struct Answer {
    std::string bytes;
    bool is_over_time = false;
    int status = 0;
};

Answer ask(const std::string& program, const std::string& path, int animation, int seconds) {
    int ends[2] = {-1, -1};
    if (::pipe2(ends, O_CLOEXEC) != 0) throw FileError(path, std::strerror(errno), "close other programs");
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, ends[1], 1);
    // What the library writes there is no line for anybody.
    posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
    const std::string number = std::to_string(animation);
    std::string words[] = {program, reader_word, path, number};
    char* arguments[] = {words[0].data(), words[1].data(), words[2].data(), words[3].data(), nullptr};
    pid_t child = 0;
    const int fault = ::posix_spawn(&child, program.c_str(), &actions, nullptr, arguments, environ);
    posix_spawn_file_actions_destroy(&actions);
    ::close(ends[1]);
    if (fault != 0) {
        ::close(ends[0]);
        throw FileError(path, fmt::format("its reader could not be started ({})", std::strerror(fault)),
                        "close other programs");
    }
    Answer answer;
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(seconds);
    std::string buffer(1 << 18, '\0');
    constexpr int asks_each_ms = 100;
    std::exception_ptr unwanted;
    for (;;) {
        const auto left =
            std::chrono::duration_cast<std::chrono::milliseconds>(end - std::chrono::steady_clock::now());
        pollfd waiting{ends[0], POLLIN, 0};
        const int ready =
            left.count() > 0 ? ::poll(&waiting, 1, int(std::min<long>(left.count(), asks_each_ms))) : 0;
        if (ready < 0 && errno == EINTR) continue;
        try {
            look_up(0.3);
        } catch (...) {
            // The child goes first.
            unwanted = std::current_exception();
            ::kill(child, SIGKILL);
            break;
        }
        if (ready == 0 && left.count() > 0) continue;
        if (ready <= 0) {
            answer.is_over_time = true;
            ::kill(child, SIGKILL);
            break;
        }
        const ssize_t n = ::read(ends[0], buffer.data(), buffer.size());
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) break;
        answer.bytes.append(buffer.data(), size_t(n));
    }
    ::close(ends[0]);
    while (::waitpid(child, &answer.status, 0) < 0 && errno == EINTR) {
    }
    if (unwanted) std::rethrow_exception(unwanted);
    return answer;
}

}  // namespace

ReaderLimits reader_limits(size_t file_bytes) {
    // Scenes take up to some 30 times their bytes (measured on text formats); two gigabytes are the program's
    // own libraries and air.
    return {(size_t{2} << 30) + 40 * std::min(file_bytes, size_t{2} << 30),
            20 + int(std::min<size_t>(file_bytes >> 20, 2048) / 4)};
}

bool serve_scene_reader(int argc, char** argv, int& exit_code) {
    serves = true;
    if (argc < 4 || std::string_view(argv[1]) != reader_word) return false;
    exit_code = read_here(argv[2], std::atoi(argv[3]));
    return true;
}

SkeletonFile read_scene_apart(const std::string& path, int animation) {
    std::error_code error;
    if (!fs::is_regular_file(path, error)) {
        read_file(path);  // says plainly what is wrong with it
        throw FileError(path, "is no file", "give a file");
    }
    const ReaderLimits limits = reader_limits(size_t(fs::file_size(path, error)));
    const Answer answer = ask(reader_program(), path, animation, 3 * limits.seconds);
    const bool is_whole =
        WIFEXITED(answer.status) && WEXITSTATUS(answer.status) == 0 && !answer.bytes.empty();
    if (is_whole && answer.bytes[0] == fault_mark) throw FileError(path, answer.bytes.substr(1), "");
    if (is_whole && answer.bytes[0] == read_mark) return unpack(answer.bytes.substr(1), path);
    if (answer.is_over_time || (WIFSIGNALED(answer.status) && WTERMSIG(answer.status) == SIGXCPU))
        throw FileError(
            path, fmt::format("was not read within {} s: broken, or far too large", limits.seconds), remedy);
    throw FileError(path, "is broken: its reader broke on it", remedy);
}

}  // namespace nb
