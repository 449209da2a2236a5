// The project's own documents: character.json, pairing, *.take.json. JSON in a canonical form: keys in fixed
// order, two spaces, one value a line, 12 significant digits, unknown keys kept, a final newline.
#pragma once
#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include "core/body/reuse.hpp"
#include "core/io/json_fields.hpp"
#include "core/io/load.hpp"
#include "core/math/canonical.hpp"
#include "core/motion/take.hpp"
#include "core/rest/character.hpp"
#include "core/review/events.hpp"
#include "core/transfer/settings.hpp"

namespace nb {

/// Text of a document in canonical form. Throws FileError when it holds a number that is not finite.
std::string format_document(const Json& document);
/// Reads a document and checks its format and version: "nimble-bone/<kind>", 1. Throws FileError for another
/// kind, a newer version, or broken JSON (with line and column).
Json read_document(const std::string& path, const std::string& kind);
/// The same from text that was read; `path` names it.
Json parse_document(const std::string& text, const std::string& path, const std::string& kind);
/// JSON of any kind, at most 64 deep. Throws FileError with line and column.
Json parse_json(const std::string& text, const std::string& path);

/// `rest` quaternions (x y z w) turn a role from the stored rest into the common stance, in the body frame
/// relative to the parent role: E_r = D_parent^T D_r with D of `RestAlignment`.
Json character_document(const Character& character);
/// One alignment, as character documents hold it under "rest" and "other_rests".
Json rest_document(const RoleMap& roles, const RestAlignment& rest);
/// Applies a document to a rig just loaded: id, name, roles, rest, ankle height. Notes say what did not fit.
/// In a file of another skeleton signature (a take, a changed rig) bones are found by name and the rest
/// alignment anew, from the file and `take` (may be null), with what was corrected on top; what does not fit
/// is told and kept. Throws FileError when hips or legs are not among what fits.
void apply_character_document(const Json& document, const std::string& path, Character& character,
                              const Take* take, std::vector<std::string>& notes);
/// True when the document was made for the file of that name; what it says of unit and axes holds for it
/// alone.
bool is_rig_of_document(const Json& document, const std::string& rig_path);

/// What the intake repairs, as both character and take documents hold it under "intake"; null when nothing
/// is.
Json intake_document(const LoadOptions& options);
/// Reads it into `options`; values that are none are refused.
void read_intake(const Json& document, const std::string& path, LoadOptions& options);

/// What is not saved yet of a file's reading, roles, rests, chains and contacts ("nimble-bone/unsaved").
Json change_document(const LoadedFile& file);
/// How such a file is to be read.
void read_change(const Json& document, const std::string& path, LoadOptions& options);
/// The rest of it, onto the file read in that way: all of it, or as much as fits another state of the rig.
void apply_change(const Json& document, const std::string& path, LoadedFile& file);

/// The roles of a character document, by bone names, without its rig.
KnownRoles read_known_roles(const Json& document, const std::string& path);

/// Reads a body plan (docs/body-plans.md) and makes it known; returns its name. Throws FileError.
std::string load_body_plan(const std::string& path);

/// Roles as told by hand, {"plan": "biped" | "quadruped", "roles": {role: bone}}. Throws FileError when a
/// bone is not there or named twice, or the plan is not known.
RoleMap read_given_roles(const Json& document, const std::string& path, const Skeleton& skeleton);

struct Pairing {
    std::string id;
    std::string source_id, source_path;
    std::string target_id, target_path;
    PairingSettings settings;
    Json other;  ///< the document as read, for keys this program does not know
};
/// Chain settings by chain. Throws FileError: which chain, what is wrong, what to write.
ChainTable read_chain_table(const Json& json, const std::string& path);

Json pairing_document(const Pairing& pairing);
Pairing read_pairing(const Json& document, const std::string& path);

struct TakeDocument {
    std::string id;
    std::string file;  ///< beside the document
    std::string character_id, character_path;
    std::string frame_time_text;
    int frames = 0;
    int first_motion_frame = 0;
    int trim_first = 0;
    int trim_last = 0;  ///< not included
    int animation = 0;  ///< of a file that holds several, from 1; 0: it holds one
    std::string notes;
    /// What the motion file does not say itself; 0 and empty: as the reader finds it.
    double unit_m = 0.0;
    std::string up, facing;
    std::vector<StagePiece> pieces;  ///< `path` as in the document, relative to it
    Json other;
};
Json take_document(const TakeDocument& take);
TakeDocument read_take_document(const Json& document, const std::string& path);

/// The document of a take: the one it was read with, else a new one, with trim, unit, axes, repairs and
/// contacts as they are in force. `path` names it.
Json changed_take_document(const LoadedFile& file, const std::string& path);

Json review_document(const Review& review);
/// What a review document holds under "events".
Json events_document(const std::vector<ReviewEvent>& events);
/// The review of the limbering take on a character, with the state of the rig it was made on.
Json certificate_document(const Character& character, const Review& review);

}  // namespace nb
