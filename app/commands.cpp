#include "app/commands.hpp"

namespace nb {

ChangeSettings::ChangeSettings(Workspace& workspace, const PairingSettings& after, const QString& text,
                               int topic)
    : QUndoCommand(text),
      workspace_(workspace),
      key_(workspace.pairing_key()),
      before_(workspace.settings()),
      after_(after),
      topic_(topic) {}

bool ChangeSettings::mergeWith(const QUndoCommand* other) {
    const auto* next = dynamic_cast<const ChangeSettings*>(other);
    if (!next || next->key_ != key_) return false;
    after_ = next->after_;
    return true;
}

ChangeRoles::ChangeRoles(Workspace& workspace, bool of_target, const RoleMap& after, const QString& text)
    : QUndoCommand(text),
      workspace_(workspace),
      is_of_target_(of_target),
      rig_path_(QString::fromStdString(workspace.body(of_target)->file.character.rig.path)),
      before_(workspace.body(of_target)->file.character.roles),
      after_(after),
      rest_before_(workspace.rest_state(of_target)) {}

ChangeRest::ChangeRest(Workspace& workspace, std::vector<OfBody> bodies, const QString& text,
                       const QString& topic)
    : QUndoCommand(text), workspace_(workspace), bodies_(std::move(bodies)), topic_(topic) {}

void ChangeRest::undo() {
    for (const OfBody& body : bodies_) workspace_.set_rest(body.is_of_target, body.rig_path, body.before);
}

void ChangeRest::redo() {
    for (const OfBody& body : bodies_) workspace_.set_rest(body.is_of_target, body.rig_path, body.after);
}

bool ChangeRest::mergeWith(const QUndoCommand* other) {
    const auto& next = static_cast<const ChangeRest&>(*other);
    if (next.topic_ != topic_ || next.bodies_.size() != bodies_.size()) return false;
    for (size_t i = 0; i < bodies_.size(); ++i)
        if (next.bodies_[i].rig_path != bodies_[i].rig_path) return false;
    for (size_t i = 0; i < bodies_.size(); ++i) bodies_[i].after = next.bodies_[i].after;
    return true;
}

ChangeIntake::ChangeIntake(Workspace& workspace, bool of_target, const LoadOptions& after,
                           const QString& text)
    : QUndoCommand(text),
      workspace_(workspace),
      is_of_target_(of_target),
      path_(QString::fromStdString(workspace.body(of_target)->file.character.rig.path)),
      before_(workspace.body(of_target)->file.character.rig.options),
      after_(after) {}

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
            is_done = trashed_.moved.empty() ? workspace_.add_to_library(before_, is_character_, after_)
                                             : workspace_.put_back(trashed_);
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
            if (is_done) workspace_.open_file(before_.path, is_character_);
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
    : QUndoCommand(text), workspace_(workspace), after_(after), topic_(topic) {
    const LoadedPtr source = workspace.source();
    path_ = QString::fromStdString(source->file.character.rig.path);
    before_ = source->file.take->contacts;
}

bool ChangeContacts::mergeWith(const QUndoCommand* other) {
    const auto* next = dynamic_cast<const ChangeContacts*>(other);
    if (!next || next->topic_ != topic_ || next->path_ != path_) return false;
    after_ = next->after_;
    return true;
}

ChangeChains::ChangeChains(Workspace& workspace, const ChainTable& after, const QString& text, int topic)
    : QUndoCommand(text), workspace_(workspace), after_(after), topic_(topic) {
    const Character& target = workspace.target()->file.character;
    path_ = QString::fromStdString(target.rig.path);
    before_ = target.chains;
}

bool ChangeChains::mergeWith(const QUndoCommand* other) {
    const auto* next = dynamic_cast<const ChangeChains*>(other);
    if (!next || next->topic_ != topic_ || next->path_ != path_) return false;
    after_ = next->after_;
    return true;
}

}  // namespace nb
