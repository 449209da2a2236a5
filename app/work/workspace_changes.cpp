// Changes in the workspace: each addresses a document, becomes a draft, stands beside it for a crash, and is
// saved into it alone.
#include <QFileInfo>
#include <algorithm>

#include "app/work/run.hpp"
#include "core/base/fault.hpp"
#include "core/documents/contacts.hpp"
#include "core/documents/pairing.hpp"
#include "core/library/beside.hpp"

namespace nb {

namespace {

const PairingSettings default_settings;

}  // namespace

DocumentKey Workspace::pairing_key() const {
    if (!source() || !target()) return {};
    const std::string target_path = open_[1].key.path;
    // What is set while the target limbers is for the eye alone: it has no folder.
    return {DocumentKey::Kind::pairing,
            is_limbering() ? std::string() : pairing_folder(library(), target_path), 0,
            source()->file.character.id, target()->file.character.id};
}

std::string Workspace::pair_name() const {
    return source()->file.character.name + " onto " + target()->file.character.name;
}

const PairingSettings& Workspace::settings() const {
    const Pairing* pairing = drafts_.pairing(pairing_key());
    return pairing ? pairing->settings : default_settings;
}

void Workspace::open_pairing() {
    const DocumentKey key = pairing_key();
    const Take& take = *source()->file.take;
    // What was set for a take before it had a document is found by its name.
    const auto by_id = [&](PairingSettings& settings) {
        const auto named = settings.takes.find(take.name);
        if (take.id.empty() || named == settings.takes.end() || settings.takes.contains(take.id)) return;
        settings.takes[take.id] = named->second;
        settings.takes.erase(take.name);
    };
    if (drafts_.has(key) && (drafts_.is_changed(key) || key.path.empty() || drafts_.is_as_on_disk(key)))
        return;
    Pairing pairing;
    const auto hint = [](const Character& c) {
        return QFileInfo(QString::fromStdString(c.rig.path)).fileName().toStdString();
    };
    pairing.source_id = key.source_id;
    pairing.target_id = key.target_id;
    pairing.id = pairing_id(key.source_id, key.target_id);
    pairing.source_path = hint(source()->file.character);
    pairing.target_path = hint(target()->file.character);
    if (key.path.empty()) return drafts_.open_pairing(key, pair_name(), pairing, {}, false);
    ReadDocument read{pairing_place(library(), open_[1].key.path, key.source_id, key.target_id), {}};
    std::vector<std::string> troubles;
    find_pairing(library(), open_[1].key.path, key.source_id, key.target_id, pairing, read, troubles);
    for (const std::string& trouble : troubles) emit failed(QString::fromStdString(trouble));
    by_id(pairing.settings);
    drafts_.open_pairing(key, pair_name(), pairing, read);
    const auto left = recovery_.left().find(key);
    if (left == recovery_.left().end()) return;
    const Json content = left->second;
    try {
        PairingSettings settings = read_pairing(object_in(content, "pairing", "unsaved"), "unsaved").settings;
        by_id(settings);
        drafts_.change_pairing(key, settings);
        drafts_.set_base(key, text_in(content, "base", "", "unsaved"));
        changed_draft(key);
        if (drafts_.is_changed(key))
            emit said(tr("Settings that were not saved last time are back; Ctrl+S keeps them."));
    } catch (const std::exception& fault) {
        emit failed(tr("What was not saved last time of %1 does not fit any more; it lies in %2. %3")
                        .arg(QString::fromStdString(pair_name()),
                             QString::fromStdString(recovery_.put_aside(key)),
                             QString::fromStdString(fault.what())));
    }
}

bool Workspace::set_settings(const DocumentKey& key, const PairingSettings& settings) {
    if (!drafts_.pairing(key)) {
        emit failed(tr("Not done: that pair is not open any more."));
        return false;
    }
    drafts_.change_pairing(key, settings);
    changed_draft(key);
    if (key != pairing_key()) {
        emit said(tr("Changed in a pair that is not on the stage."));
        return true;
    }
    is_result_current_ = false;
    compile();
    emit settings_changed();
    solve();
    return true;
}

void Workspace::changed_draft(const DocumentKey& key) {
    to_recover_.insert(key);
    if (!recover_.isActive()) recover_.start();
    emit unsaved_changed();
}

void Workspace::flush_recovery() {
    recover_.stop();
    if (is_leaving_) return;
    for (const DocumentKey& key : std::exchange(to_recover_, {})) {
        if (!drafts_.is_changed(key)) {
            // One of the last session that is not open stays until it is.
            if (!recovery_.left().contains(key)) recovery_.drop(key);
            continue;
        }
        try {
            recovery_.keep(key, drafts_.changes(key));
        } catch (const std::exception& fault) {
            // The change itself still holds.
            if (!std::exchange(is_recovery_told_, true))
                emit failed(tr("%1. What is not saved would not survive a crash.")
                                .arg(QString::fromStdString(fault.what())));
        }
    }
}

template <typename Edit>
bool Workspace::change(const DocumentKey& key, Edit edit, bool is_kept) {
    const Opened* open = opened(key);
    if (!open) {
        emit failed(tr("Not done: %1 is not open any more.")
                        .arg(QFileInfo(QString::fromStdString(key.path)).fileName()));
        return false;
    }
    if (open->is_limbering) {
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
    bool is_on_stage = false;
    for (Opened& on_stage : open_)
        if (on_stage.body && on_stage.key == key) {
            on_stage.body = loaded;
            is_on_stage = true;
        }
    if (before_limbering_ && before_limbering_->key == key) before_limbering_->body = loaded;
    if (is_kept) {
        drafts_.change_file(key, file_of(loaded));
        changed_files_.insert_or_assign(key, renewed);
        changed_draft(key);
    }
    if (!is_on_stage) emit said(tr("Changed in %1, which is not on the stage.").arg(renewed.choice.name));
    return true;
}

/// The stage follows a change of what is on it.
void Workspace::changed_on_stage(const DocumentKey& key, After after) {
    const bool of_target = key.kind == DocumentKey::Kind::character;
    if (!open_[of_target].body || open_[of_target].key != key) return;
    if (after == After::body) return show(of_target);
    is_result_current_ = false;
    if (!of_target && after == After::rest) found_.reset();
    if (after != After::contacts) compile();
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

bool Workspace::set_contacts(const DocumentKey& key, const Contacts& in_file) {
    const bool is_done = change(key, [&](Loaded& loaded, const Loaded&) {
        if (!loaded.file.take) return false;
        set_contacts_in_file(loaded.file, in_file);
        return true;
    });
    if (is_done) changed_on_stage(key, After::contacts);
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
    const Opened* open = opened(key);
    return open ? open->body->file.character.rig.options : LoadOptions();
}

bool Workspace::set_intake(const DocumentKey& key, const LoadOptions& options) {
    const Opened* open = opened(key);
    if (!open || open->is_limbering)
        return change(key, [](Loaded&, const Loaded&) { return false; });  // says why
    read_again(key, options);
    return true;
}

void Workspace::read_again(const DocumentKey& key, const LoadOptions& wanted) {
    const Opened* open = opened(key);
    if (!open) return;
    LoadOptions options = wanted;
    options.is_by_hand = true;
    if (const auto reading = reading_again_.find(key); reading != reading_again_.end())
        *reading->second.cancelled = true;
    const auto cancelled = std::make_shared<std::atomic<bool>>(false);
    reading_again_[key] = {cancelled, options};
    const bool as_target = key.kind == DocumentKey::Kind::character;
    const LoadedPtr before = open->body;
    // Another tree is another body: its roles are found anew.
    const bool keeps_roles = options.tree == before->file.character.rig.options.tree;
    const auto is_over = [this, key, cancelled] {
        const auto reading = reading_again_.find(key);
        if (reading != reading_again_.end() && reading->second.cancelled == cancelled)
            reading_again_.erase(reading);
    };
    run(
        tr("Reading %1").arg(QFileInfo(open->choice.path).fileName()), cancelled,
        [choice = open->choice, as_target, options, keeps_roles, before](const Progress&) {
            return load_choice(choice, as_target, &options, keeps_roles ? before.get() : nullptr);
        },
        [this, key, options, before, is_over](const LoadedPtr& loaded) {
            is_over();
            const Opened* now = opened(key);
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

std::vector<std::pair<DocumentKey, QString>> Workspace::left_unsaved() const {
    std::vector<std::pair<DocumentKey, QString>> result;
    for (const auto& [key, content] : recovery_.left()) {
        if (drafts_.has(key)) continue;  // it is back
        const auto name = content.find("name");
        result.emplace_back(key, name != content.end() && name->is_string()
                                     ? QString::fromStdString(name->get<std::string>())
                                     : QFileInfo(QString::fromStdString(key.path)).fileName());
    }
    return result;
}

void Workspace::open_left(const DocumentKey& key) {
    if (key.kind == DocumentKey::Kind::pairing) {
        emit said(tr("It comes back when that pair is chosen."));
        return;
    }
    const bool as_target = key.kind == DocumentKey::Kind::character;
    if (const int index = index_of(as_target, key); index >= 0) return choose(index, as_target);
    open_file(QString::fromStdString(key.path), as_target);
}

bool Workspace::save_all(const std::vector<DocumentKey>& keys, bool over_others) {
    int written = 0;
    QStringList documents;
    QStringList lines;
    for (const DocumentKey& key : keys) {
        const Drafts::Outcome outcome = drafts_.save(key, over_others);
        const QString name = QString::fromStdString(outcome.name);
        if (outcome.result == Drafts::Result::done) {
            ++written;
            recovery_.drop(key);
            to_recover_.erase(key);
            const bool as_target = key.kind == DocumentKey::Kind::character;
            const QString document = QString::fromStdString(outcome.document);
            if (key.kind != DocumentKey::Kind::pairing) {
                if (const int index = index_of(as_target, key); index >= 0)
                    (as_target ? targets_ : takes_)[size_t(index)].document = document;
                for (Opened& open : open_)
                    if (open.key == key) open.choice.document = document;
                if (const auto at = changed_files_.find(key); at != changed_files_.end())
                    at->second.choice.document = document;
            }
            continue;
        }
        if (outcome.result == Drafts::Result::changed_by_others)
            documents << QString::fromStdString(outcome.document);
        lines << tr("%1: %2").arg(name, QString::fromStdString(outcome.line));
    }
    emit unsaved_changed();
    emit settings_changed();
    if (lines.isEmpty()) {
        emit said(written ? tr("Saved.") : tr("Nothing to save: all is as on disk."));
        read_clean_again();
        return true;
    }
    const QString line = (written ? tr("%n saved. ", nullptr, written) : QString()) +
                         tr("Not saved, and kept: %1").arg(lines.join(tr(" · ")));
    if (documents.isEmpty())
        emit failed(line);
    else
        emit changed_by_others(documents, line);
    return false;
}

void Workspace::save(bool over_others) {
    std::vector<DocumentKey> keys;
    for (const Drafts::Unsaved& unsaved : drafts_.unsaved()) keys.push_back(unsaved.key);
    save_all(keys, over_others);
}

bool Workspace::save_one(const DocumentKey& key, bool over_others) {
    return save_all({key}, over_others);
}

void Workspace::take_theirs(const QString& document) {
    for (const Drafts::Unsaved& unsaved : drafts_.unsaved()) {
        const auto documents = drafts_.documents(unsaved.key);
        if (std::find(documents.begin(), documents.end(), document.toStdString()) == documents.end())
            continue;
        const DocumentKey key = unsaved.key;
        drafts_.forget(key);
        changed_files_.erase(key);
        recovery_.drop(key);
        to_recover_.erase(key);
        if (key == pairing_key()) {
            open_pairing();
            is_result_current_ = false;
            compile();
            solve();
        }
        for (const bool as_target : {false, true})
            if (open_[as_target].key == key) load(open_[as_target].choice, as_target);
    }
    emit unsaved_changed();
    emit settings_changed();
}

void Workspace::drop_recovery() {
    is_leaving_ = true;
    for (const DocumentKey& key : to_recover_) recovery_.drop(key);
    for (const Drafts::Unsaved& unsaved : drafts_.unsaved()) recovery_.drop(unsaved.key);
}

}  // namespace nb
