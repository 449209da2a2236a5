// Families: characters that are variants of one body share a characterization. Templates: the same without a body.
//
//   families/<name>.family.json    "nimble-bone/family", docs/schema/family.schema.json
//   characters/<name>/character.json    "family": {"id": ..., "name": ...} in each member's own
//
// A family holds what one body's character document holds of roles, rests, chains and touch-ups, and that body's bones with
// their places, so that it fits a rig by names, or by shape where names are others. Members' documents stay whole: what a
// family says is written into them. What is a member's own is not kept anywhere: it is where its document differs from what
// the family says of its rig (core/library/family_merge.hpp).
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "core/base/json_fields.hpp"
#include "core/library/family_merge.hpp"
#include "core/library/library.hpp"

namespace nb {

struct Family {
    std::string id, name;
    std::string path;  ///< where it is kept; empty: nowhere yet
    Json
        character;  ///< plan, roles, rest, solved, other_rests, chains, touches, rig of the body it was made of
    Skeleton skeleton;  ///< of that body; places in metres, +Y up, facing +Z
    int hips = -1;      ///< of it
    int role_count() const { return character.contains("roles") ? int(character["roles"].size()) : 0; }
};

/// What a body's characterization is as a family.
Family family_of(const Character& body, const std::string& name);
Json family_document(const Family& family);
/// Throws FileError.
Family read_family(const std::string& path);
/// Those of a library; what cannot be read is told in `troubles`.
std::vector<Family> families_in(const Library& library, std::vector<std::string>& troubles);

/// How a family's bones are found in a rig: by name (its own, or one of the same words, side and number), or by the shape of
/// the tree where that finds more.
struct FamilyFit {
    int bones = 0;  ///< found
    int of = 0;     ///< of the family
    bool is_by_shape = false;
    std::vector<int> joints;  ///< of the rig, by bones of the family; -1: not found
    double share() const { return of > 0 ? double(bones) / double(of) : 0.0; }
};
FamilyFit fit_of(const Family& family, const Rig& rig);
/// "52 of 53 bones by name"
std::string words_of(const FamilyFit& fit);

/// A rig fits when so much of a family's bones is found by name, or by shape; with less of them it is left alone.
inline constexpr double least_by_name = 0.5, least_by_shape = 0.8;
inline bool is_fit(const FamilyFit& fit) {
    return fit.share() >= (fit.is_by_shape ? least_by_shape : least_by_name);
}

/// A rig by a family: what the family has no bone for here is filled by evidence.
struct Filled {
    Character character;
    std::vector<std::string> by_evidence;  ///< roles
    std::vector<std::string> notes;
};
/// `found`: the rig as its file has it, without a document. Throws FileError when hips or legs are not among what fits.
Filled filled_by(const Family& family, const FamilyFit& fit, const LoadedFile& found);

/// The best of several for a rig, and the next best; -1: none fits.
struct BestFit {
    int best = -1, next = -1;
    std::vector<FamilyFit> fits;  ///< of all
};
BestFit best_fit(const std::vector<Family>& families, const Rig& rig);

/// A document before and after; empty before: it is made; empty after: it goes.
struct DocumentChange {
    std::string path, before, after;
};
/// What a change of a family makes of each member. Nothing is written yet.
struct FamilyChange {
    struct Member {
        LibraryEntry entry;
        std::string name;     ///< as shown
        Merge merge;          ///< what it takes, what it keeps of its own
        std::string trouble;  ///< why it is left as it is
    };
    std::vector<Member> members;
    std::vector<DocumentChange> documents;
};
/// Members of a family in the library, by their documents.
std::vector<LibraryEntry> members_of(const Library& library, const std::string& family_id);
/// The family a document names; both empty: none.
struct FamilyName {
    std::string id, name;
};
FamilyName family_named(const std::string& document_text);

using FamilyProgress = std::function<bool(int done, int of)>;  ///< false: stop

/// A new family of this body, in the library; the character is its first member.
FamilyChange founding(const Library& library, const LibraryEntry& character, const std::string& name);
/// A character becomes a member: what was given by hand stays its own, the rest is as the family says.
FamilyChange joining(const Library& library, const Family& family, const LibraryEntry& character);
FamilyChange leaving(const Library& library, const LibraryEntry& character);
/// What a member has of these parts becomes the family's, and that of all who have not their own.
FamilyChange giving(const Library& library, const Family& family, const LibraryEntry& from,
                    const Parts& parts, const FamilyProgress& progress = {});
/// Characters of the library without a family that fit one of these: each by its best. Those with work by hand keep it.
/// `fits` gets a line for each character of the library.
FamilyChange filling(const Library& library, const std::vector<Family>& families,
                     std::vector<std::string>& fits, const FamilyProgress& progress = {});

/// Writes all documents, or none: throws FileError when one of them is another by now, or cannot be written. `back`: as it
/// was before.
void put_change(const Library& library, const FamilyChange& change, bool back = false);

}  // namespace nb
