#include "app/work/loaded.hpp"

#include <QUuid>
#include <algorithm>

#include "core/base/fault.hpp"
#include "core/documents/change.hpp"
#include "core/documents/character.hpp"
#include "core/documents/contacts.hpp"
#include "core/intake/things.hpp"
#include "core/rest/edit.hpp"

namespace nb {

namespace {

const Take* take_of(const LoadedFile& file) {
    return file.take ? &*file.take : nullptr;
}

/// After a file was read in another way, or its roles changed (`is_other_body`: the T is found anew):
/// corrections stay.
void solve_anew(Loaded& loaded, const Loaded& before, bool is_other_body) {
    Character& c = loaded.file.character;
    std::string why;
    if (!can_be_transferred(c.roles, why)) return;
    const Character& old = before.file.character;
    if (is_other_body) align_to_t(c, take_of(loaded.file));
    const auto carry = [&](const RestAlignment& rest) {
        return carried_over(old.roles, rest, old.solved, c.rig.skeleton, c.roles, c.solved);
    };
    if (!old.solved.is_there() || !old.rest.is_there()) return;
    c.rest = carry(old.rest);
    c.other_rests.clear();
    for (const RestAlignment& other : old.other_rests) c.other_rests.push_back(carry(other));
}

/// What was given by hand of the same file as it was read before.
void keep_from(Loaded& loaded, const Loaded& before) {
    Character& character = loaded.file.character;
    character.chains = before.file.character.chains;
    character.touches = before.file.character.touches;
    set_contacts_in_file(loaded.file, before.file.contacts_in_file);
    const RoleMap& roles = before.file.character.roles;
    if (roles.fills.empty()) return;
    const bool is_other_body = !(character.roles == roles);
    character.roles = roles;
    update_role_lists(character.rig.skeleton, character.roles);
    solve_anew(loaded, before, is_other_body);
}

}  // namespace

bool RestState::is_same(const RestState& other) const {
    return is_same_alignment(rest, other.rest) && are_same_alignments(others, other.others);
}

DocumentKey key_of(const Choice& choice, bool as_target) {
    const std::string path = choice.path.toStdString();
    return as_target ? character_key(path) : take_key(path, choice.animation, choice.body.toStdString());
}

std::shared_ptr<const LoadedFile> file_of(const LoadedPtr& loaded) {
    return {loaded, &loaded->file};
}

LoadedPtr load_choice(const Choice& choice, bool as_target, const LoadOptions* options, const Loaded* before,
                      const Json* unsaved) {
    auto loaded = std::make_shared<Loaded>();
    const std::string document = choice.document.toStdString();
    LoadOptions changed;
    if (unsaved) {
        read_change(*unsaved, document, changed);
        changed.animation = choice.animation;
        options = &changed;
    }
    loaded->file = as_target ? load_character(choice.path.toStdString(), document, loaded->notes,
                                              options ? *options : LoadOptions())
                             : load_take((document.empty() ? choice.path : choice.document).toStdString(),
                                         choice.character.toStdString(), loaded->notes, choice.animation,
                                         options, choice.body.toStdString());
    Character& character = loaded->file.character;
    if (loaded->file.character_document.path.empty()) {
        // A file without a document: its id follows from its skeleton, so that its pairings are found again.
        character.id = QUuid::createUuidV5(QUuid(), QString::fromStdString(own_signature(character.rig)))
                           .toString(QUuid::WithoutBraces)
                           .toStdString();
    }
    if (before) keep_from(*loaded, *before);
    if (unsaved) apply_change(*unsaved, choice.path.toStdString(), loaded->file);
    if (before || unsaved) carry_things(loaded->file, false);  // by the hands as they are now
    std::string why;
    if (!can_be_transferred(character.roles, why)) {
        if (!as_target)
            throw FileError(
                choice.path.toStdString(), why,
                "name hips and legs in plain words, or write a character file with nbone characterize");
        loaded->notes.push_back(why + ": give them in the station Roles, then the take is carried");
    }
    if (!as_target && loaded->file.take && character.rest.is_there())
        loaded->file.standing = standing_of(character, *loaded->file.take);
    loaded->figure = std::make_shared<const Figure>(make_figure(character));
    loaded->segments = bone_segments(character);
    loaded->props = load_props(loaded->file, loaded->notes);
    return LoadedPtr(loaded);
}

ReadChoice read_choice(const Choice& choice, bool as_target, const std::optional<Json>& unsaved) {
    ReadChoice read{load_choice(choice, as_target, nullptr, nullptr), nullptr, {}};
    read.now = read.as_on_disk;
    if (unsaved) try {
            read.now = load_choice(choice, as_target, nullptr, nullptr, &*unsaved);
        } catch (const std::exception& fault) {
            read.trouble = QString::fromStdString(fault.what());
        }
    return read;
}

std::shared_ptr<Loaded> copy_for_change(const LoadedPtr& before) {
    auto loaded = std::make_shared<Loaded>(*before);
    if (!loaded->drawn) loaded->drawn = rig_of(before, before->file.character);
    loaded->notes.clear();
    return loaded;
}

void give_roles(Loaded& loaded, const Loaded& before, const RoleMap& roles) {
    Character& c = loaded.file.character;
    c.roles = roles;
    update_role_lists(c.rig.skeleton, c.roles);
    solve_anew(loaded, before, true);
    loaded.figure = std::make_shared<const Figure>(make_figure(c));
    loaded.segments = bone_segments(c);
    loaded.notes.clear();
}

}  // namespace nb
