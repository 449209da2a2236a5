// Changes in the workspace: each addresses a document, on the stage or not, and becomes a draft.
#include <QFileInfo>

#include "app/work/workspace.hpp"
#include "core/documents/contacts.hpp"

namespace nb {

template <typename Edit>
bool Workspace::change(const DocumentKey& key, Edit edit, bool is_kept) {
    const Opened* open = open_.find(key);
    if (!open) {
        emit failed(tr("Not done: %1 is not open any more.")
                        .arg(QFileInfo(QString::fromStdString(key.path)).fileName()));
        return false;
    }
    if (open_.is_limbering(key)) {
        emit failed(tr("Not done: the limbering take is the program's own; go back to your take first."));
        return false;
    }
    auto loaded = copy_for_change(open->body);
    if (!edit(*loaded, *open->body)) return false;
    // While theirs is being read in its place, what is on the stage has no draft.
    if (is_kept && !drafts_.has(key))
        drafts_.open_file(key, open->choice.name.toStdString(), file_of(open->body));
    Opened renewed = *open;
    renewed.body = loaded;
    renewed.is_touched |= is_kept;
    open_.put(renewed);
    if (is_kept) {
        drafts_.change_file(key, file_of(loaded));
        changed_draft(key);
    }
    if (!open_.is_on_stage(key, key.kind == DocumentKey::Kind::character))
        emit said(tr("Changed in %1, which is not on the stage.").arg(renewed.choice.name));
    return true;
}

/// The stage follows a change of what is on it.
void Workspace::changed_on_stage(const DocumentKey& key, After after) {
    const bool of_target = key.kind == DocumentKey::Kind::character;
    if (!open_.is_on_stage(key, of_target)) return;
    if (after == After::body) return show(of_target);
    follow();
    if (after == After::rest) emit rest_changed();
    emit settings_changed();
    solve();
}

RestState Workspace::rest_state(bool of_target) const {
    const LoadedPtr loaded = body(of_target);
    return loaded ? RestState{loaded->file.character.rest, loaded->file.character.other_rests,
                              loaded->file.character.solved}
                  : RestState();
}

bool Workspace::set_rest(const DocumentKey& key, const RestState& state, bool is_kept) {
    const bool is_done = change(
        key,
        [&](Loaded& loaded, const Loaded&) {
            Character& c = loaded.file.character;
            // One made for another reading of the file fits no more.
            if (state.rest.D_W.size() != c.rig.skeleton.names.size()) return false;
            c.rest = state.rest;
            c.other_rests = state.others;
            if (state.solved.is_there()) c.solved = state.solved;
            return true;
        },
        is_kept);
    if (is_done) changed_on_stage(key, After::rest);
    return is_done;
}

bool Workspace::set_chains(const DocumentKey& key, const ChainTable& chains) {
    const bool is_done = change(key, [&](Loaded& loaded, const Loaded&) {
        loaded.file.character.chains = chains;
        return true;
    });
    if (is_done) changed_on_stage(key, After::settings);
    return is_done;
}

bool Workspace::set_touches(const DocumentKey& key, const TouchLayers& layers) {
    const bool is_done = change(key, [&](Loaded& loaded, const Loaded&) {
        loaded.file.character.touches = layers;
        return true;
    });
    if (is_done) changed_on_stage(key, After::settings);
    return is_done;
}

bool Workspace::set_contacts(const DocumentKey& key, const Contacts& in_file) {
    const bool is_done = change(key, [&](Loaded& loaded, const Loaded&) {
        if (!loaded.file.take) return false;
        set_contacts_in_file(loaded.file, in_file);
        return true;
    });
    if (is_done) changed_on_stage(key, After::settings);
    return is_done;
}

bool Workspace::set_roles(const DocumentKey& key, const RoleMap& roles) {
    const bool is_done = change(key, [&](Loaded& loaded, const Loaded& before) {
        std::string why;
        std::string why_before;
        // A rig that waits for its roles may go on waiting.
        if (!can_be_transferred(roles, why) &&
            (key.kind == DocumentKey::Kind::take ||
             can_be_transferred(before.file.character.roles, why_before))) {
            emit failed(tr("Not done: it would leave %1; give that role to another bone first.")
                            .arg(QString::fromStdString(why)));
            return false;
        }
        give_roles(loaded, before, roles);
        return true;
    });
    if (is_done) changed_on_stage(key, After::body);
    return is_done;
}

LoadOptions Workspace::intake(const DocumentKey& key) const {
    if (const auto reading = reading_again_.find(key); reading != reading_again_.end())
        return reading->second.options;
    const Opened* open = open_.find(key);
    return open ? open->body->file.character.rig.options : LoadOptions();
}

bool Workspace::set_intake(const DocumentKey& key, const LoadOptions& options) {
    if (const Opened* made = open_.find(key); made && made->is_made) {
        emit failed(
            tr("Not done: %1 is a result, not a file; export it and open that.").arg(made->choice.name));
        return false;
    }
    if (!open_.find(key) || open_.is_limbering(key))
        return change(key, [](Loaded&, const Loaded&) { return false; });  // says why
    read_again(key, options);
    return true;
}

void Workspace::read_again(const DocumentKey& key, const LoadOptions& wanted) {
    const Opened* open = open_.find(key);
    if (!open) return;
    LoadOptions options = wanted;
    options.is_by_hand = true;
    if (const auto reading = reading_again_.find(key); reading != reading_again_.end())
        nb::cancel(reading->second.cancelled);
    const Cancelled cancelled = not_cancelled();
    reading_again_[key] = {cancelled, options};
    const bool as_target = key.kind == DocumentKey::Kind::character;
    const LoadedPtr before = open->body;
    // Another tree, other fingers are another body: its roles are found anew.
    const LoadOptions& was = before->file.character.rig.options;
    const bool keeps_roles = options.tree == was.tree && options.along == was.along;
    const auto is_over = [this, key, cancelled] {
        const auto reading = reading_again_.find(key);
        if (reading != reading_again_.end() && reading->second.cancelled == cancelled)
            reading_again_.erase(reading);
    };
    jobs_.run(
        tr("Reading %1").arg(QFileInfo(open->choice.path).fileName()), cancelled,
        [choice = open->choice, as_target, options, keeps_roles, before](const Progress&) {
            return load_choice(choice, as_target, &options, keeps_roles ? before.get() : nullptr);
        },
        [this, key, options, before, is_over](const LoadedPtr& loaded) {
            is_over();
            const Opened* now = open_.find(key);
            if (!now) return;
            // What was changed while it was read stays: read it again with that.
            if (now->body != before) return read_again(key, options);
            if (change(key, [&](Loaded& renewed, const Loaded& old) {
                    renewed = *loaded;
                    renewed.file.character.id = old.file.character.id;
                    renewed.file.character.name = old.file.character.name;
                    renewed.file.character_document = old.file.character_document;
                    renewed.file.take_document = old.file.take_document;
                    if (renewed.file.take && old.file.take) renewed.file.take->id = old.file.take->id;
                    return true;
                }))
                changed_on_stage(key, After::body);
        },
        is_over);
}

}  // namespace nb
