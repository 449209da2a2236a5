// A newer file of a known character's rig in the place of the older, with all the work on it; the older stays reachable.
//
//   characters/<name>/rig.glb  character.json          in force
//   characters/<name>/versions/<date>[-n]/rig.glb ...  laid aside on that day
#pragma once
#include <string>
#include <vector>

#include "core/library/library.hpp"
#include "core/library/versions.hpp"

namespace nb {

/// What a newer file makes of a character: nothing is written yet.
struct Renewal {
    RigComparison comparison;
    LoadedFile older;
    LoadedFile file;                     ///< the newer, with the work carried over; its path as given
    std::vector<std::string> roles_new;  ///< of bones that the older had not, by evidence
    std::vector<std::string> notes;
};
/// Reads both and carries the work: bones by name or by where they hang and stand (core/library/versions.hpp), rests as
/// turns beyond the T as found for each, chains and touch-ups by their roles. Throws FileError: what cannot be read, or when
/// what a transfer needs is not in the newer.
Renewal renewal_of(const LibraryEntry& character, const std::string& newer_rig);

/// A state of a character's files that was laid aside.
struct RigVersion {
    std::string folder;
    std::string name;  ///< "2026-11-29"
    std::string rig;
};
/// The newest last.
std::vector<RigVersion> versions_of(const LibraryEntry& character);

/// Takes the newer in as a version and puts it in force at once. `laid_aside`: the folder of what was in force. Throws
/// FileError; then the folder is as it was.
LibraryEntry renew_character(const Library& library, const LibraryEntry& character, const Renewal& renewal,
                             std::string& laid_aside);
/// Puts a version in force again; what was in force is laid aside in its turn. The same on errors.
LibraryEntry exchange_version(const Library& library, const LibraryEntry& character,
                              const std::string& version_folder, std::string& laid_aside);

}  // namespace nb
