// The shared folder of characters, takes and pairings.
//
//   library.json
//   characters/<name>/  rig.bvh | rig.glb   character.json
//   takes/<name>.bvh    <name>.take.json
//   pairings/<id>.json
//   scenes/<name>.scene.json
//   hands/<name>.json   hand poses of the library's own (core/body/hand_pose.hpp)
//   plans/<name>.json   body plans of the library's own (docs/body-plans.md)
#pragma once
#include <string>
#include <vector>

#include "core/body/hand_pose.hpp"
#include "core/intake/load.hpp"

namespace nb {

struct LibraryEntry {
    std::string name;      ///< as shown
    std::string path;      ///< the rig or motion file
    std::string document;  ///< character.json or *.take.json; empty when there is none
};

struct Library {
    std::string id;
    std::string name;
    std::string folder;
    std::vector<LibraryEntry> characters;
    std::vector<LibraryEntry> takes;
    std::vector<LibraryEntry> scenes;  ///< `path`: of the document
    std::vector<HandPose> hands;
    std::vector<std::string> troubles;        ///< what of it could not be read: body plans, hands
    std::string opens_take, opens_character;  ///< by their names: what it is opened with; may be empty
    /// What programs that ended half-way left: documents without their motion, entries that never got a name.
    struct Leftover {
        std::string path, why;
    };
    std::vector<Leftover> leftovers;
};
/// Entries that are being made have names that begin so.
inline constexpr const char* unfinished_prefix = ".new-";

/// Throws FileError when the folder or its library.json cannot be read.
Library open_library(const std::string& folder);

/// A rig with its character document, when there is one (`document` may be empty). Options that are
/// `is_by_hand` stand in the place of what the document says of unit, axes and repairs.
LoadedFile load_character(const std::string& rig_path, const std::string& document,
                          std::vector<std::string>& notes, const LoadOptions& given = {});
/// The same by a document that need not lie anywhere; empty text: none.
LoadedFile load_character(const std::string& rig_path, const ReadDocument& document,
                          std::vector<std::string>& notes, const LoadOptions& given = {});

/// A take: a motion file, or a *.take.json that names one and its trim. The source character is the one the
/// document names, when it fits; else it is proposed from the file itself. `by_hand` stands in the place of
/// what the document says of unit, axes, trim and repairs. `tree`: of a file with several bodies the bone at whose tree the
/// one is; empty: as the document says, else the likeliest.
LoadedFile load_take(const std::string& path, const std::string& character_document,
                     std::vector<std::string>& notes, int animation = 0, const LoadOptions* by_hand = nullptr,
                     const std::string& tree = {});

}  // namespace nb
