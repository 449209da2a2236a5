// What is not saved yet, kept beside the documents, so that a program that ends in any way loses nothing.
//
//   ROOT/<session>/lock        held as long as the program lives
//   ROOT/<session>/<key>.json  one document's changes ("nimble-bone/unsaved")
//   ROOT/unreadable/           what could not be read again
//
// Every program has a session of its own; what ended ones left is taken over by the next that starts.
#pragma once
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "core/base/files.hpp"
#include "core/documents/format.hpp"
#include "core/library/document_key.hpp"

namespace nb {

class Recovery {
  public:
    /// Takes over what ended sessions left in `root`. Never throws: without a folder to write in nothing is
    /// kept, and `troubles` say so.
    explicit Recovery(std::string root);
    ~Recovery();
    Recovery(const Recovery&) = delete;
    Recovery& operator=(const Recovery&) = delete;

    /// Keeps a document's changes; `content` is written with the key in it. Throws FileError.
    void keep(const DocumentKey& key, Json content);
    /// They are saved, undone or given up.
    void drop(const DocumentKey& key);
    /// They cannot be brought back: they go to ROOT/unreadable. Returns where they lie.
    std::string put_aside(const DocumentKey& key);
    /// The document goes by another key now.
    void move(const DocumentKey& from, const DocumentKey& to);

    /// What ended sessions left, until it is taken up by `keep` or let go of by `drop`.
    const std::map<DocumentKey, Json>& left() const { return left_; }
    /// What could not be read, one line each; it lies in ROOT/unreadable.
    const std::vector<std::string>& troubles() const { return troubles_; }
    std::string file_of(const DocumentKey& key) const;

  private:
    std::string root_, folder_;
    std::unique_ptr<HeldFile> lock_;
    std::map<DocumentKey, Json> left_;
    std::vector<std::string> troubles_;

    void take_over(const std::string& folder);
};

}  // namespace nb
