// What is not saved yet of a file, as recovery keeps it ("nimble-bone/unsaved").
#pragma once
#include "core/documents/format.hpp"
#include "core/intake/load.hpp"

namespace nb {

/// What is not saved yet of a file's reading, roles, rests, chains and contacts ("nimble-bone/unsaved").
Json change_document(const LoadedFile& file);
/// How such a file is to be read.
void read_change(const Json& document, const std::string& path, LoadOptions& options);
/// The rest of it, onto the file read in that way: all of it, or as much as fits another state of the rig.
void apply_change(const Json& document, const std::string& path, LoadedFile& file);

}  // namespace nb
