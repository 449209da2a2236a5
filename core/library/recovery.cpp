#include "core/library/recovery.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdint>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/hash.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/format.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr const char* aside = "unreadable";

}  // namespace

Recovery::Recovery(std::string root) : root_(std::move(root)) {
    std::error_code error;
    folder_ = (fs::path(root_) / make_uuid()).string();
    fs::create_directories(folder_, error);
    if (error) {
        troubles_.push_back(fmt::format("{}: {}; what is not saved would not survive a crash",
                                        shown_text(root_), error.message()));
        folder_.clear();
        return;
    }
    lock_ = std::make_unique<HeldFile>((fs::path(folder_) / "lock").string());
    // One at a time, so that two that start together do not both take the same.
    const FolderLock starting(root_);
    for (const fs::path& session : sorted_entries(root_)) {
        if (session == fs::path(folder_) || session.filename() == aside || !fs::is_directory(session, error))
            continue;
        const HeldFile ended((session / "lock").string());
        if (ended.is_held()) take_over(session.string());
    }
}

Recovery::~Recovery() {
    if (folder_.empty()) return;
    // A session that leaves nothing leaves no folder.
    std::error_code error;
    const auto left = sorted_entries(folder_);
    if (left.size() == 1 && left[0].filename() == "lock") fs::remove_all(folder_, error);
}

void Recovery::take_over(const std::string& session) {
    for (const fs::path& file : sorted_entries(session)) {
        if (file.filename() == "lock" || file.extension() != ".json") continue;
        std::error_code error;
        try {
            Json content = read_document(file.string(), "unsaved");
            const DocumentKey key = read_key(object_in(content, "of", file.string()), file.string());
            const fs::path own = file_of(key);
            // Of two sessions that left the same document the later one speaks.
            if (left_.contains(key) && fs::exists(own, error) &&
                fs::last_write_time(own, error) > fs::last_write_time(file, error)) {
                fs::create_directories(fs::path(root_) / aside, error);
                fs::rename(file, fs::path(root_) / aside / ("older-" + file.filename().string()), error);
                continue;
            }
            fs::rename(file, own, error);
            if (!error) left_[key] = std::move(content);
        } catch (const std::exception& fault) {
            fs::create_directories(fs::path(root_) / aside, error);
            const fs::path to = fs::path(root_) / aside / (make_uuid() + ".json");
            fs::rename(file, to, error);
            troubles_.push_back(fmt::format("{}. What was not saved last time lies in {}", fault.what(),
                                            shown_text(to.string())));
        }
    }
    std::error_code error;
    fs::remove_all(session, error);
}

std::string Recovery::file_of(const DocumentKey& key) const {
    // Twice from two starts: names that no file system refuses.
    const std::string text = key_json(key).dump(-1, ' ', false, Json::error_handler_t::replace);
    const std::uint64_t first = fnv1a(text);
    const std::uint64_t second = fnv1a(text, 0x9e3779b97f4a7c15ull);
    return (fs::path(folder_) / fmt::format("{:016x}{:016x}.json", first, second)).string();
}

void Recovery::keep(const DocumentKey& key, Json content) {
    left_.erase(key);
    if (folder_.empty()) return;
    content["of"] = key_json(key);
    write_file_soon(file_of(key), format_document(content));
}

void Recovery::drop(const DocumentKey& key) {
    left_.erase(key);
    std::error_code error;
    if (!folder_.empty()) fs::remove(file_of(key), error);
}

std::string Recovery::put_aside(const DocumentKey& key) {
    left_.erase(key);
    std::error_code error;
    fs::create_directories(fs::path(root_) / aside, error);
    const fs::path to = fs::path(root_) / aside / (make_uuid() + ".json");
    if (!folder_.empty()) fs::rename(file_of(key), to, error);
    return shown_text(to.string());
}

void Recovery::move(const DocumentKey& from, const DocumentKey& to) {
    const auto at = left_.find(from);
    if (at == left_.end()) return;
    Json content = at->second;
    drop(from);
    try {
        keep(to, content);
    } catch (const FileError&) {  // It is in memory all the same.
    }
    left_[to] = std::move(content);
}

}  // namespace nb
