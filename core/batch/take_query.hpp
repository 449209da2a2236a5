// What somebody looks for among takes: words, and filters as words with a colon.
//
//   crate                   in name, body, notes, terms or tags
//   on:performer            captured on that body
//   longer:10  shorter:30   seconds
//   does:walks              how the body moves (core/batch/take_account.hpp); travels:5 metres at least
//   touches:hands           what touches: feet, hands, things, body, or a thing by its name
//   tried:ferrier  untried:ferrier  outside:ferrier    by the ledger
#pragma once
#include <string>
#include <vector>

#include "core/batch/take_account.hpp"

namespace nb {

/// What is known of a take.
struct TakeKnown {
    std::string words;  ///< all that plain words are sought in
    std::string body;
    double seconds = 0.0;
    const TakeAccount* account = nullptr;  ///< null: not known yet, filters by it let nothing through
    std::vector<std::string> tried,
        outside;  ///< characters it was tried on, and those of them on which it is outside its bars
};

class TakeQuery {
  public:
    explicit TakeQuery(const std::string& text);
    bool fits(const TakeKnown& take) const;
    /// Whether it asks what only the motion says; what only the ledger says.
    bool asks_account() const { return asks_account_; }
    bool asks_ledger() const { return asks_ledger_; }
    /// Its plain words.
    const std::string& words() const { return plain_; }
    /// What it does not understand: "does:flies", with what may stand there.
    const std::vector<std::string>& troubles() const { return troubles_; }

  private:
    struct Term {
        std::string key, value;
        double number = 0.0;
    };
    std::vector<Term> terms_;
    std::string plain_;
    std::vector<std::string> troubles_;
    bool asks_account_ = false, asks_ledger_ = false;
};

/// `text` with the filter put in the place of another of its key, or taken out when it is there as it is.
std::string with_filter(const std::string& text, const std::string& key, const std::string& value);

}  // namespace nb
