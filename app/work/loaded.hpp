// A rig or take as it is used: what was read, the figure it is drawn as, and which document it is.
#pragma once
#include <QString>
#include <atomic>
#include <memory>
#include <optional>

#include "core/documents/format.hpp"
#include "core/library/document_key.hpp"
#include "core/library/drafts.hpp"
#include "core/library/library.hpp"
#include "draw/figure.hpp"
#include "draw/scene.hpp"

namespace nb {

/// A rig or take that is in use, with the figure it is drawn as.
struct Loaded {
    LoadedFile file;
    std::shared_ptr<const Figure> figure;
    std::vector<BoneSegment> segments;  ///< for picking
    std::vector<Prop> props;            ///< what stands beside the bodies of a take
    std::vector<std::string> notes;
    std::shared_ptr<const Rig> drawn;  ///< the rig it is drawn from when that is another copy's; else null
};
using LoadedPtr = std::shared_ptr<const Loaded>;

/// The alignments of a rig: the one in force, and further ones by name.
struct RestState {
    RestAlignment rest;
    std::vector<RestAlignment> others;
    RestAlignment solved;  ///< what corrections are counted from

    /// Equal in the alignments themselves.
    bool is_same(const RestState& other) const;
};

/// One that can be chosen: of the library, or a file that was opened.
struct Choice {
    QString name;  ///< as shown
    QString path;
    QString document;   ///< of the rig or take; empty when there is none yet
    QString character;  ///< a motion file without a document: the character document that fits its skeleton
    bool is_of_library = false;
    int animation = 0;  ///< which, of a file that holds several
    QString holds;      ///< of a file that was opened: what is in it, one sentence
    QString entry;      ///< what it is called in the library's folder; empty for files beside it
    QString body;       ///< of a take of a file with several: a bone of its tree; empty: the likeliest
    QString family;     ///< of a character of the library: as it is shown; empty: none
};
DocumentKey key_of(const Choice& choice, bool as_target);

/// The file of a body as a value of its own, sharing its memory.
std::shared_ptr<const LoadedFile> file_of(const LoadedPtr& loaded);

/// Reads a file for the stage. A take needs a body that can be carried; a rig may still wait for its roles.
/// `options`: in the place of what its documents say. `before`: the same file as it was, whose roles,
/// corrections of the rest, chains and contacts stay. `unsaved`: changes kept from a session that ended.
/// Throws FileError.
LoadedPtr load_choice(const Choice& choice, bool as_target, const LoadOptions* options, const Loaded* before,
                      const Json* unsaved = nullptr);

/// What was read of a choice: as its documents are, and with changes that a session left.
struct ReadChoice {
    LoadedPtr as_on_disk, now;
    QString trouble;  ///< why these could not be put on; empty: they were, or there are none
};
/// `unsaved`: as for `load_choice`. Throws FileError.
ReadChoice read_choice(const Choice& choice, bool as_target, const std::optional<Json>& unsaved);

/// A changed copy, whose drawing stays that on the graphics card.
std::shared_ptr<Loaded> copy_for_change(const LoadedPtr& before);
/// Other roles: lists, rest and figure follow; corrections of the rest stay.
void give_roles(Loaded& loaded, const Loaded& before, const RoleMap& roles);

}  // namespace nb
