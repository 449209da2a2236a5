// What the result of a take on a character is made from, by hashes: so that what is stale is known, and why.
//
// Files count by their bytes (FNV-1a, core/base/hash), documents by each of their parts: "characters/ferrier/character.json
// rest". What nothing is carried by (names, notes, tags, terms, what a person judged) does not count. Paths are seen from
// the library's folder.
#pragma once
#include <cstdint>
#include <map>
#include <string>
#include <unordered_map>
#include <utility>
#include <vector>

#include "core/library/library.hpp"

namespace nb {

/// What, and its hash; "gone" for a file that is named and not there.
using Inputs = std::map<std::string, std::string>;
/// All of them in one word.
std::string word_of(const Inputs& inputs);
/// Whether a transfer goes between body plans: the same, or one not known.
bool plans_agree(const std::string& of, const std::string& onto);
/// What is another in `now` than it was `then`, in words, one: "the rest of ferrier has changed"; empty: nothing.
std::string what_changed(const Inputs& then, const Inputs& now);

/// A file by what tells that it may have changed.
struct FileStamp {
    std::uint64_t size = 0;
    std::int64_t changed_ns = -1;  ///< -1: it is not there
    bool operator==(const FileStamp&) const = default;
};
FileStamp stamp_of(const std::string& path);

/// Hashes of files, looked up again only where size or time of a file say that it may be another.
class FileHashes {
  public:
    struct Known {
        FileStamp stamp;
        std::string hash;
        // Of documents:
        std::string id, name, plan, tags, family;
        std::map<std::string, std::string> parts;
        std::vector<std::string> refers;  ///< as it names them, from its own folder
    };
    /// Of a file whose bytes count.
    const std::string& of_file(const std::string& path);
    /// Of a document whose parts count. What is no JSON counts by its bytes.
    const Known& of_document(const std::string& path);

    /// As text, a line each; and back: what is not understood is passed over.
    std::string text() const;
    void read(std::string_view text);

    /// Whether any was looked up since it was read.
    bool has_news() const { return has_news_; }

  private:
    std::unordered_map<std::string, Known> known_;
    bool has_news_ = false;
    const Known& look(const std::string& path, bool is_document);
};

/// The inputs of every pair of a library. Not for several threads.
class LibraryInputs {
  public:
    /// `hashes`: kept by the caller, so that a second look is quick.
    LibraryInputs(const Library& library, FileHashes& hashes);

    /// All that the result of a pair is made from.
    Inputs of_pair(size_t take, size_t character);
    /// The same in one word, as `word_of`, without putting them together where no pairing says more.
    std::string word_of_pair(size_t take, size_t character);

    /// What documents say of a take or character; empty where none does.
    struct Side {
        bool is_read = false;
        Inputs inputs;
        std::string word;
        std::string id;    ///< of the character: the one itself, the one a take was captured on
        std::string plan;  ///< its body plan
        std::string name, tags, family;
        std::string key;  ///< of a take: by which pairings know it
    };
    const Side& take(size_t take);
    const Side& character(size_t character);

  private:
    const Library& library_;
    FileHashes& hashes_;
    std::vector<Side> takes_, characters_;
    Inputs common_;  ///< the program, the library's own plans and hands
    std::string common_word_;
    std::map<std::pair<std::string, std::string>, std::string> pairings_;  ///< by both ids: where

    std::string seen_from_library(const std::string& path) const;
    void add_file(Inputs& inputs, const std::string& path);
    const FileHashes::Known& add_document(Inputs& inputs, const std::string& path);
    const std::string* pairing_of(const Side& take, const Side& character) const;
    Inputs of_pairing(const std::string& path, const std::string& take_key);
};

}  // namespace nb
