// Contacts in documents: a list under "contacts", frames counted in the motion file; and between the file's
// own frames and heights and those in force.
#pragma once
#include "core/documents/format.hpp"
#include "core/intake/load.hpp"

namespace nb {

/// Writes the contacts of a take that were edited by hand into `document` ("contacts", "floor_levels_m",
/// "contacts_by_hand", "touches_by_hand"), all of the file, heights in metres in force; takes these keys out when they
/// are to be
/// found anew.
void write_contacts(Json& document, const LoadedFile& file);

/// Reads them back, as the file counts: frames of the motion file, heights in its own units (of a body whose
/// legs have their own length). `file` was read with what the document says of unit and lengths. Nothing when
/// the document has none by hand. Throws FileError: a point, kind or span that is none, with its place.
Contacts read_contacts(const Json& document, const std::string& path, const LoadedFile& file);

/// Puts contacts of the file in force: `take->contacts` are those within its trim, in its frames, in metres.
void set_contacts_in_file(LoadedFile& file, Contacts in_file);
/// Contacts in force, edited, as the file counts; those that the trim leaves out stay, and one that it cuts
/// goes on beyond the cut.
Contacts contacts_to_file(const Contacts& contacts, const LoadedFile& file);

}  // namespace nb
