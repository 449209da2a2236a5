#include "core/library/moves.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/format.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr const char* journal_prefix = ".moves-";

void move_path(const std::string& from, const std::string& to) {
    std::error_code error;
    if (!fs::exists(fs::symlink_status(from, error)))
        throw FileError(from, "is not there any more", "read the library again");
    if (!move_to_free(from, to)) throw FileError(to, "is there already", "choose another name");
}

void move_back(const Moves& moved) {
    for (auto it = moved.rbegin(); it != moved.rend(); ++it) {
        std::error_code error;
        if (!fs::exists(fs::symlink_status(it->second, error))) continue;
        try {
            move_to_free(it->second, it->first);
        } catch (const FileError&) {  // It stays where it is; the library tells of it.
        }
    }
}

}  // namespace

JournalledMoves::JournalledMoves(const Library& library, const Moves& moves) {
    const fs::path root(library.folder);
    Json journal;
    journal["format"] = "nimble-bone/moves";
    journal["version"] = 1;
    journal["moves"] = Json::array();
    for (const auto& [from, to] : moves)
        journal["moves"].push_back(Json::array({fs::path(from).lexically_relative(root).string(),
                                                fs::path(to).lexically_relative(root).string()}));
    journal_ = (root / fmt::format("{}{}.json", journal_prefix, make_uuid())).string();
    write_file(journal_, format_document(journal));
    try {
        for (const auto& [from, to] : moves) {
            move_path(from, to);
            moved_.emplace_back(from, to);
        }
    } catch (...) {
        move_back(moved_);
        std::error_code error;
        fs::remove(journal_, error);
        throw;
    }
}

JournalledMoves::~JournalledMoves() {
    if (!is_done_) move_back(moved_);
    std::error_code error;
    fs::remove(journal_, error);
}

void JournalledMoves::done() {
    is_done_ = true;
}

void take_up_moves(const Library& library) {
    const fs::path root(library.folder);
    std::error_code error;
    for (const fs::path& journal : sorted_entries(root.string())) {
        if (!journal.filename().string().starts_with(journal_prefix)) continue;
        Moves moves;
        try {
            const Json document = read_document(journal.string(), "moves");
            for (const Json& move : list_or_none(document, "moves", journal.string())) {
                const auto inside = [&](size_t i) {
                    const fs::path path = fs::path(move.at(i).get<std::string>()).lexically_normal();
                    if (path.is_absolute() || path.begin() == path.end() || *path.begin() == "..")
                        throw FileError(journal.string(), "leads out of the library", "remove it");
                    return (root / path).string();
                };
                moves.emplace_back(inside(0), inside(1));
            }
        } catch (const std::exception&) {
            moves.clear();  // A journal that was not written to its end: nothing had moved.
        }
        // What has not moved yet is still in its old place.
        std::erase_if(moves, [](const auto& move) {
            std::error_code ignored;
            return fs::exists(fs::symlink_status(move.first, ignored));
        });
        move_back(moves);
        fs::remove(journal, error);
    }
}

}  // namespace nb
