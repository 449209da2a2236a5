// Where the documents of a file are: beside it, by its name. Two files of one folder never share one.
#pragma once
#include <string>

#include "core/documents/pairing.hpp"
#include "core/library/library.hpp"

namespace nb {

/// The character document of a rig: `NAME.character.json` beside it when that is of this file, else
/// `FILE.character.json`, else a `character.json` that is; else what a take of the same file says of its
/// body. Empty when there is none.
std::string character_document_beside(const std::string& rig_path);
/// Where a rig without one gets it.
std::string new_character_document(const std::string& rig_path);

/// The document of a take: `NAME.take.json` beside it when it is of this file and animation, else
/// `NAME.N.take.json` (N: the animation, from 1). Empty when there is none.
std::string take_document_beside(const std::string& motion_path, int animation);
/// Where a take without one gets it. `animations`: how many the file holds.
std::string new_take_document(const std::string& motion_path, int animation, size_t animations);
/// The document of one body of a file with several, beside that of all: `NAME.BODY.take.json`.
std::string take_document_of_body(const std::string& take_document, const std::string& body);
/// Where what was changed of a take's own body goes when its document names no character made for its
/// skeleton: `NAME.take.character.json`, so that a rig of the same file keeps its own.
std::string new_body_document(const std::string& motion_path);
/// True for such a document: a rig of the same file may be read by it, and is never written into it.
bool is_body_of_take(const std::string& character_document, const std::string& rig_path);

/// The folder of the pairings of a target: the library's when the target is of it, else the target's own.
std::string pairing_folder(const Library* library, const std::string& target_path);
/// Where a pairing is kept: by the two ids, so that all who save it save the same document. In a library
/// `pairings/<id>.json` with an id that follows from both; else `TARGET.<id>.pairing.json` beside the target.
std::string pairing_place(const Library* library, const std::string& target_path,
                          const std::string& source_id, const std::string& target_id);
std::string pairing_id(const std::string& source_id, const std::string& target_id);
/// The pairing of two bodies, where it is kept or under another name in the same folder; false when there is
/// none. Documents that cannot be read are passed over, and told in `troubles`, as are further ones of the
/// same pair. `text`: as read.
bool find_pairing(const Library* library, const std::string& target_path, const std::string& source_id,
                  const std::string& target_id, Pairing& pairing, ReadDocument& read,
                  std::vector<std::string>& troubles);

}  // namespace nb
