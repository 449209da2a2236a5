#include "app/work/commands.hpp"

#include <algorithm>

#include <QUndoStack>

#include "core/documents/contacts.hpp"

namespace nb {

ChangeSettings::ChangeSettings(Workspace& workspace, const PairingSettings& after, const QString& text,
                               int topic)
    : QUndoCommand(text),
      workspace_(workspace),
      key_(workspace.pairing_key()),
      before_(workspace.settings()),
      after_(after),
      topic_(topic) {}

void change_settings(Workspace& workspace, QUndoStack& undo, const QString& text, int topic,
                     const std::function<void(PairingSettings&)>& edit) {
    if (workspace.pairing_key().is_empty()) return;
    PairingSettings settings = workspace.settings();
    edit(settings);
    if (!(settings == workspace.settings())) undo.push(new ChangeSettings(workspace, settings, text, topic));
}

bool ChangeSettings::mergeWith(const QUndoCommand* other) {
    const auto* next = dynamic_cast<const ChangeSettings*>(other);
    if (!next || next->key_ != key_) return false;
    after_ = next->after_;
    return true;
}

ChangeRoles::ChangeRoles(Workspace& workspace, bool of_target, const RoleMap& after, const QString& text)
    : QUndoCommand(text),
      workspace_(workspace),
      key_(workspace.key(of_target)),
      before_(workspace.body(of_target)->file.character.roles),
      after_(after),
      rest_before_(workspace.rest_state(of_target)) {}

void ChangeRoles::undo() {
    setObsolete(!workspace_.set_roles(key_, before_));
    if (!isObsolete() && rest_before_.rest.is_there()) workspace_.set_rest(key_, rest_before_);
}

ChangeRest::ChangeRest(Workspace& workspace, std::vector<OfBody> bodies, const QString& text,
                       const QString& topic)
    : QUndoCommand(text), workspace_(workspace), bodies_(std::move(bodies)), topic_(topic) {}

void ChangeRest::undo() {
    bool is_done = false;
    for (const OfBody& body : bodies_) is_done |= workspace_.set_rest(body.key, body.before);
    setObsolete(!is_done);
}

void ChangeRest::redo() {
    bool is_done = false;
    for (const OfBody& body : bodies_) is_done |= workspace_.set_rest(body.key, body.after);
    setObsolete(!is_done);
}

bool ChangeRest::mergeWith(const QUndoCommand* other) {
    const auto& next = static_cast<const ChangeRest&>(*other);
    if (next.topic_ != topic_ || next.bodies_.size() != bodies_.size()) return false;
    for (size_t i = 0; i < bodies_.size(); ++i)
        if (next.bodies_[i].key != bodies_[i].key) return false;
    for (size_t i = 0; i < bodies_.size(); ++i) bodies_[i].after = next.bodies_[i].after;
    return true;
}

namespace {

/// `base` with what differs between `from` and `to`.
LoadOptions with_changes(LoadOptions base, const LoadOptions& from, const LoadOptions& to) {
    const auto follow = [&](auto LoadOptions::*field) {
        if (from.*field != to.*field) base.*field = to.*field;
    };
    follow(&LoadOptions::unit_m);
    follow(&LoadOptions::up);
    follow(&LoadOptions::facing);
    follow(&LoadOptions::plan);
    follow(&LoadOptions::tree);
    follow(&LoadOptions::reference);
    follow(&LoadOptions::on_floor);
    follow(&LoadOptions::over_origin);
    follow(&LoadOptions::set_down);
    follow(&LoadOptions::give_travel);
    follow(&LoadOptions::bridge_breaks);
    follow(&LoadOptions::fps);
    follow(&LoadOptions::trim_first);
    follow(&LoadOptions::trim_last);
    follow(&LoadOptions::lengths);
    follow(&LoadOptions::without_meshes);
    follow(&LoadOptions::along);
    follow(&LoadOptions::sound);
    follow(&LoadOptions::things);
    follow(&LoadOptions::starts_at_s);
    return base;
}

}  // namespace

ChangeIntake::ChangeIntake(Workspace& workspace, bool of_target, const LoadOptions& after,
                           const QString& text)
    : QUndoCommand(text),
      workspace_(workspace),
      key_(workspace.key(of_target)),
      before_(workspace.intake(key_)),
      // What is being read with another repair keeps that, too.
      after_(with_changes(before_, workspace.body(of_target)->file.character.rig.options, after)) {}

bool ChangeScene::mergeWith(const QUndoCommand* other) {
    const auto* next = dynamic_cast<const ChangeScene*>(other);
    if (!next || next->topic_ != topic_ || next->key_ != key_) return false;
    after_ = next->after_;
    return true;
}

void change_scene(Workspace& workspace, QUndoStack& undo, const QString& text, int topic,
                  const std::function<void(SceneDocument&)>& edit) {
    if (!workspace.scene().is_open()) return;
    SceneDocument document = workspace.scene_document();
    edit(document);
    if (!(document == workspace.scene_document()))
        undo.push(new ChangeScene(workspace, document, text, topic));
}

ChangeLibrary::ChangeLibrary(Workspace& workspace, Kind kind, const Choice& choice, bool is_character,
                             const QString& name)
    : workspace_(workspace), kind_(kind), before_(choice), is_character_(is_character), name_(name) {
    setText((kind == Kind::add      ? QObject::tr("take %1 into the library")
             : kind == Kind::rename ? QObject::tr("rename %1")
                                    : QObject::tr("remove %1 from the library"))
                .arg(choice.name));
}

void ChangeLibrary::redo() {
    bool is_done = false;
    switch (kind_) {
        case Kind::add:
            if (trashed_.moved.empty()) {
                is_done = workspace_.add_to_library(before_, is_character_, after_);
            } else {
                is_done = workspace_.put_back(trashed_);
                if (is_done) workspace_.take_place(before_, after_, is_character_);
            }
            break;
        case Kind::rename:
            is_done = workspace_.rename_in_library(before_, is_character_, name_, after_);
            break;
        case Kind::remove:
            is_done = workspace_.lay_aside(before_, is_character_, trashed_);
            break;
    }
    setObsolete(!is_done);
}

void ChangeLibrary::undo() {
    bool is_done = false;
    switch (kind_) {
        case Kind::add:
            is_done = workspace_.lay_aside(after_, is_character_, trashed_);
            if (is_done) workspace_.open_beside(before_, is_character_);
            break;
        case Kind::rename:
            is_done = workspace_.rename_in_library(after_, is_character_, before_.name, after_);
            break;
        case Kind::remove:
            is_done = workspace_.put_back(trashed_);
            break;
    }
    setObsolete(!is_done);
}

ChangeContacts::ChangeContacts(Workspace& workspace, const Contacts& after, const QString& text, int topic)
    : QUndoCommand(text), workspace_(workspace), key_(workspace.key(false)), topic_(topic) {
    const LoadedFile& file = workspace.source()->file;
    before_ = file.contacts_in_file;
    after_ = contacts_to_file(after, file);
}

bool ChangeContacts::mergeWith(const QUndoCommand* other) {
    const auto* next = dynamic_cast<const ChangeContacts*>(other);
    if (!next || next->topic_ != topic_ || next->key_ != key_) return false;
    after_ = next->after_;
    return true;
}

void add_cure(Workspace& workspace, QUndoStack& undo, const QString& text, const TouchUp& touch) {
    change_settings(workspace, undo, text, -1, [&](PairingSettings& settings) {
        TouchLayers& own = settings.take_touches[workspace.take_key()];
        const std::string name = QObject::tr("cures").toStdString();
        auto layer =
            std::find_if(own.begin(), own.end(), [&](const TouchLayer& one) { return one.name == name; });
        if (layer == own.end()) layer = own.insert(own.end(), TouchLayer{name, false, 1.0, {}});
        layer->touches.push_back(touch);
    });
}

}  // namespace nb
