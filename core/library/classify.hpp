// Files that came together, sorted: what each holds, what it is taken as, and which character a motion
// belongs to.
#pragma once
#include <string>
#include <vector>

#include "core/library/library.hpp"

namespace nb {

/// `thing`: a mesh without a body.
enum class Taken { rig, take, thing, library, nothing };

struct SortedFile {
    std::string path;
    Taken as = Taken::nothing;
    std::string holds;  ///< one sentence: bones, skin, frames, rate, height; or why it is not read
    std::string
        character;    ///< takes: the character.json that fits its skeleton; empty: roles from the file itself
    std::string why;  ///< takes: how the character was found
    std::vector<std::string> animations;  ///< names, when the file holds more than one
    std::string motion;                   ///< of a *.take.json: the file it is of
    int animation = 0;                    ///< which one such a document is of, from 0
    std::string trouble;                  ///< the whole line, place included, when the file could not be read
};

/// A character.json that fits a skeleton: the same signature, else at least nine tenths of its bones by name
/// and all that a transfer needs. Empty when none does; `why` says how it was found.
std::string find_character_for(const Skeleton& skeleton, const std::vector<std::string>& documents,
                               std::string& why);

/// Reads each file once. Motion with a mesh counts as a take that is also a rig (`as` is take). Rigs among
/// the files are looked at before the library's characters. Folders with a library.json are libraries. Never
/// throws.
std::vector<SortedFile> sort_files(const std::vector<std::string>& paths, const Library& library);

}  // namespace nb
