// character.json: roles, rest alignments, chains and repairs of a rig.
#pragma once
#include "core/documents/format.hpp"
#include "core/rest/character.hpp"

namespace nb {

Json character_document(const Character& character);
/// Applies a document to a rig just loaded: id, name, roles, rest, ankle height. Notes say what did not fit.
/// In a file of another skeleton signature (a take, a changed rig) bones are found by name and the rest
/// alignment anew, from the file and `take` (may be null), with what was corrected on top; what does not fit
/// is told and kept. Throws FileError when hips or legs are not among what fits.
void apply_character_document(const Json& document, const std::string& path, Character& character,
                              const Take* take, std::vector<std::string>& notes);
/// The skeleton's signature as the rig's own file has it, without bones and things that came along.
std::string own_signature(const Rig& rig);
/// True when the document was made for the file of that name; what it says of unit and axes holds for it
/// alone.
bool is_rig_of_document(const Json& document, const std::string& rig_path);

}  // namespace nb
