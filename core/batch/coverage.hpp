// Which take works on which character, how well, and what is stale: takes x characters, read from the ledger.
#pragma once
#include <string>
#include <vector>

#include "core/batch/ledger.hpp"

namespace nb {

struct CoverageCell {
    enum class State : unsigned char { not_tried, carried, failed };
    State state = State::not_tried;
    bool is_stale = false;
    bool is_accepted = false;  ///< by a person, for the inputs of now
    float share = 0.0F;        ///< the worst measure by its bar: above 1 it is outside
    int measure = -1;          ///< of `Coverage::measures`
    int worst_frame = 0;
    int text = -1;  ///< of `Coverage::texts`
    bool is_outside() const { return state == State::carried && share > 1.0F; }
};

/// A take or character of the table.
struct CoverageSide {
    std::string name, shown, plan, tags;
    std::string family = {};  ///< of a character
    std::string moves = {};   ///< of a take, as its account says; empty: not looked into
};

/// What the cells of a row, a column or all of them come to.
struct CoverageCount {
    int inside = 0, outside = 0, failed = 0, stale = 0, accepted = 0, not_tried = 0;
    float worst = 0.0F;  ///< of what was carried, the largest share
    int works() const { return inside + accepted; }
};

struct Coverage {
    std::vector<CoverageSide> takes, characters;
    std::vector<std::string> measures, texts;
    std::vector<CoverageCell> cells;  ///< takes x characters

    const CoverageCell& at(size_t take, size_t character) const {
        return cells[take * characters.size() + character];
    }
    const std::string& text_of(const CoverageCell& cell) const;
    /// Accepted cells count as accepted alone, stale ones as stale alone.
    CoverageCount count_of_take(size_t take) const;
    CoverageCount count_of_character(size_t character) const;
    CoverageCount count() const;
    /// By their body plans (`plans_agree`).
    bool fits(size_t take, size_t character) const;
};

/// `ledger`: as looked at.
Coverage coverage_of(const Library& library, Ledger& ledger);

/// In words, of a cell: "right hand 4.1 cm short ...", "not tried", "stale: the rest of ferrier has changed", "failed: ...".
/// Reads what the cell was made from when it is stale.
std::string words_of_cell(const Coverage& coverage, size_t take, size_t character, LibraryInputs& inputs,
                          const Ledger& ledger);

/// How many tried pairs were made from a character's files, as what they were carried onto or as the body of their take:
/// those go stale when it changes. `ledger`: as looked at.
int pairs_made_of(const Library& library, Ledger& ledger, const std::string& character);

std::string coverage_csv(const Coverage& coverage);
/// A page to be read in any browser, without anything from elsewhere.
std::string coverage_page(const Coverage& coverage, const std::string& library);
/// "nimble-bone/coverage", docs/schema/coverage.schema.json.
Json coverage_document(const Coverage& coverage, const Library& library);

}  // namespace nb
