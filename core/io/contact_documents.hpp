// Contacts in documents: a list under "contacts", frames counted in the motion file.
#pragma once
#include "core/io/documents.hpp"

namespace nb {

/// Writes the contacts of a take that were edited by hand into `document` ("contacts", "floor_levels_m",
/// "contacts_by_hand"); takes these keys out when they are to be found anew.
void write_contacts(Json& document, const LoadedFile& file);

/// Reads them back into the take's own frames; nothing when the document has none by hand. Throws FileError:
/// a point, kind or span that is none, with its place in the list.
Contacts read_contacts(const Json& document, const std::string& path, const LoadedFile& file);

}  // namespace nb
