// Moving files of a library: all of them or none, also when the program ends half-way.
#pragma once
#include <string>
#include <utility>
#include <vector>

#include "core/library/library.hpp"

namespace nb {

using Moves = std::vector<std::pair<std::string, std::string>>;  ///< from, to

/// While it lives, moves have a journal in the library's folder (`.moves-*.json`); when the program ends
/// before `done`, the next one that opens the library moves back what was moved. Needs the folder's lock.
class JournalledMoves {
  public:
    /// Throws FileError when something stands in the way or cannot be moved; then nothing has moved.
    JournalledMoves(const Library& library, const Moves& moves);
    ~JournalledMoves();
    JournalledMoves(const JournalledMoves&) = delete;
    JournalledMoves& operator=(const JournalledMoves&) = delete;
    /// They hold; without it they are taken back at the end of its life.
    void done();

  private:
    std::string journal_;
    Moves moved_;
    bool is_done_ = false;
};

/// Takes back what programs that ended began. Needs the folder's lock.
void take_up_moves(const Library& library);

}  // namespace nb
