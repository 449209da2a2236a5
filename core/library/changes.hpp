// Changing a library: creating one, taking files into it, renaming, and laying aside with the way back.
//
// Nothing is deleted and nothing is replaced: what is removed moves to `.trash/` in the library's own folder,
// under a name of its own, and can be put back. Every function either does all of it or leaves the folder as
// it was.
#pragma once
#include <string>

#include "core/library/library.hpp"

namespace nb {

/// Makes an empty library in `folder`, which must be missing or empty. Throws FileError.
Library create_library(const std::string& folder, const std::string& name);

/// Takes a rig into the library as a new character: copies the file (with what a .gltf refers to) and, when a
/// body is found in it or told by `document` (may be empty), writes its character.json. `id` is that of a
/// character without a document; empty: a new one. Returns the entry's place. Throws FileError. The entry
/// appears whole or not at all; its name is one that nothing had.
LibraryEntry add_character(const Library& library, const std::string& rig_path, const std::string& document,
                           const std::string& name, const std::string& id = "");
/// The same as it is in use: with roles, rests and chains that were changed and not saved.
LibraryEntry add_character(const Library& library, const LoadedFile& file, const std::string& name);
/// Takes a motion file into the library, with a *.take.json that names the character it was captured on
/// (`character`: path of a character.json of this library; may be empty).
LibraryEntry add_take(const Library& library, const std::string& path, const std::string& character,
                      const std::string& name);
/// The same as it is in use: its animation, trim, repairs and contacts; with `has_own_body` roles and rest of
/// its body in a character document of its own.
LibraryEntry add_take(const Library& library, const LoadedFile& file, const std::string& character,
                      bool has_own_body, const std::string& name);

/// Takes a hand pose into the library's `hands/`. Throws FileError when one of that name is there.
void keep_hand_pose(const Library& library, const HandPose& pose);

/// Gives a character another shown name (in its character.json, so that references stay). Throws FileError
/// when it has none. Only the name changes: the document is read again just before it is written. Returns its
/// text.
std::string rename_character(const LibraryEntry& character, const std::string& name);

/// Tags, notes and terms (licence, limits) of a take or character, as its document has them.
struct ItemWords {
    std::vector<std::string> tags;
    std::string notes, terms;
    bool operator==(const ItemWords&) const = default;
};
/// The name of the character a take was captured on, as it is in the library's folder; empty: its document names none.
std::string body_of_take(const Library& library, const LibraryEntry& take);
/// Throws FileError when it has no document, or one that cannot be read.
ItemWords words_of(const LibraryEntry& entry, bool is_character);
/// Only they change: the document is read again just before it is written. Returns its text.
std::string set_words(const LibraryEntry& entry, bool is_character, const ItemWords& words);

/// What was moved: what lies in the trash, and where it came from.
struct Trashed {
    std::vector<std::pair<std::string, std::string>> moved;  ///< from, to
};
/// Renames a take: its motion file and the documents of the same name. Returns the new entry; `moved`: what
/// moved where.
LibraryEntry rename_take(const Library& library, const LibraryEntry& take, const std::string& name,
                         Trashed& moved);

/// A character's folder, or a take with its documents, goes to the library's trash.
Trashed lay_aside(const Library& library, const LibraryEntry& entry, bool is_character);
/// Puts back what was laid aside. Throws FileError when its place is taken.
void put_back(const Library& library, const Trashed& trashed);
/// What programs that ended half-way left goes to the trash, too.
Trashed lay_leftovers_aside(const Library& library);

}  // namespace nb
