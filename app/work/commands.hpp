// What can be undone. Every command addresses a document, wherever it is: on the stage, changed and laid by,
// or saved meanwhile. One whose document is gone drops out of the history instead of doing nothing.
#pragma once
#include <QUndoCommand>
#include <functional>

#include "app/work/workspace.hpp"

class QUndoStack;

namespace nb {

/// A change of a pairing's settings. Changes of the same `topic` in a row become one (dragging, typing).
class ChangeSettings : public QUndoCommand {
  public:
    ChangeSettings(Workspace& workspace, const PairingSettings& after, const QString& text, int topic = -1);
    void undo() override { setObsolete(!workspace_.set_settings(key_, before_)); }
    void redo() override { setObsolete(!workspace_.set_settings(key_, after_)); }
    int id() const override { return topic_; }
    bool mergeWith(const QUndoCommand* other) override;

  private:
    Workspace& workspace_;
    DocumentKey key_;
    PairingSettings before_, after_;
    int topic_;
};

/// Pushes what `edit` changes of the pair's settings; nothing when it changes nothing or there is no pair.
void change_settings(Workspace& workspace, QUndoStack& undo, const QString& text, int topic,
                     const std::function<void(PairingSettings&)>& edit);

/// A touch-up that heals a fault of the take on this target: into its layer "cures".
void add_cure(Workspace& workspace, QUndoStack& undo, const QString& text, const TouchUp& touch);

/// What is said of the take in use on the target, before and after.
class ChangeJudgement : public QUndoCommand {
  public:
    ChangeJudgement(Workspace& workspace, const TakeJudgement& after, const QString& text)
        : QUndoCommand(text),
          workspace_(workspace),
          key_(workspace.pairing_key()),
          take_(workspace.take_key()),
          before_(workspace.judgement()),
          after_(after) {}
    void undo() override { setObsolete(!workspace_.set_judgement(key_, take_, before_)); }
    void redo() override { setObsolete(!workspace_.set_judgement(key_, take_, after_)); }

  private:
    Workspace& workspace_;
    DocumentKey key_;
    std::string take_;
    TakeJudgement before_, after_;
};

/// A body's roles before and after; undone, its rest is as it was, too.
class ChangeRoles : public QUndoCommand {
  public:
    ChangeRoles(Workspace& workspace, bool of_target, const RoleMap& after, const QString& text);
    void undo() override;
    void redo() override { setObsolete(!workspace_.set_roles(key_, after_)); }

  private:
    Workspace& workspace_;
    DocumentKey key_;
    RoleMap before_, after_;
    RestState rest_before_;
};

/// The rest alignments of one body or of both, before and after. Changes of the same `topic` in a row become
/// one (typing, turning a field).
class ChangeRest : public QUndoCommand {
  public:
    struct OfBody {
        DocumentKey key;
        RestState before, after;
    };
    ChangeRest(Workspace& workspace, std::vector<OfBody> bodies, const QString& text,
               const QString& topic = {});
    void undo() override;
    void redo() override;
    int id() const override { return topic_.isEmpty() ? -1 : 0x7e57; }
    bool mergeWith(const QUndoCommand* other) override;

  private:
    Workspace& workspace_;
    std::vector<OfBody> bodies_;
    QString topic_;
};

/// The contacts of the take, before and after. Changes of the same `topic` in a row become one (dragging).
class ChangeContacts : public QUndoCommand {
  public:
    ChangeContacts(Workspace& workspace, const Contacts& after, const QString& text, int topic = -1);
    void undo() override { setObsolete(!workspace_.set_contacts(key_, before_)); }
    void redo() override { setObsolete(!workspace_.set_contacts(key_, after_)); }
    int id() const override { return topic_ < 0 ? -1 : 0xc047; }
    bool mergeWith(const QUndoCommand* other) override;

  private:
    Workspace& workspace_;
    DocumentKey key_;
    Contacts before_, after_;  ///< as the file counts them
    int topic_;
};

/// What is kept with the target's character whatever drives it, before and after. Changes of the same `topic` in a row
/// become one.
template <typename Kept, Kept Character::*kept, bool (Workspace::*put)(const DocumentKey&, const Kept&)>
class ChangeKept : public QUndoCommand {
  public:
    ChangeKept(Workspace& workspace, const Kept& after, const QString& text, int topic = -1)
        : QUndoCommand(text),
          workspace_(workspace),
          key_(workspace.key(true)),
          before_(workspace.target()->file.character.*kept),
          after_(after),
          topic_(topic) {}
    void undo() override { setObsolete(!(workspace_.*put)(key_, before_)); }
    void redo() override { setObsolete(!(workspace_.*put)(key_, after_)); }
    int id() const override { return topic_; }
    bool mergeWith(const QUndoCommand* other) override {
        const auto* next = dynamic_cast<const ChangeKept*>(other);
        if (!next || next->topic_ != topic_ || next->key_ != key_) return false;
        after_ = next->after_;
        return true;
    }

  private:
    Workspace& workspace_;
    DocumentKey key_;
    Kept before_, after_;
    int topic_;
};
/// What is set for its chains; the touch-ups that it always gets.
using ChangeChains = ChangeKept<ChainTable, &Character::chains, &Workspace::set_chains>;
using ChangeTouches = ChangeKept<TouchLayers, &Character::touches, &Workspace::set_touches>;

/// How a file is read, before and after: a repair of the intake, a trim.
class ChangeIntake : public QUndoCommand {
  public:
    ChangeIntake(Workspace& workspace, bool of_target, const LoadOptions& after, const QString& text);
    void undo() override { setObsolete(!workspace_.set_intake(key_, before_)); }
    void redo() override { setObsolete(!workspace_.set_intake(key_, after_)); }

  private:
    Workspace& workspace_;
    DocumentKey key_;
    LoadOptions before_, after_;
};

/// A scene's document, before and after. Changes of the same `topic` in a row become one (dragging, typing).
class ChangeScene : public QUndoCommand {
  public:
    ChangeScene(Workspace& workspace, const SceneDocument& after, const QString& text, int topic = -1)
        : QUndoCommand(text),
          workspace_(workspace),
          key_(workspace.scene().key()),
          before_(workspace.scene_document()),
          after_(after),
          topic_(topic) {}
    void undo() override { setObsolete(!workspace_.set_scene(key_, before_)); }
    void redo() override { setObsolete(!workspace_.set_scene(key_, after_)); }
    int id() const override { return topic_ < 0 ? -1 : 0x5ce7; }
    bool mergeWith(const QUndoCommand* other) override;

  private:
    Workspace& workspace_;
    DocumentKey key_;
    SceneDocument before_, after_;
    int topic_;
};

/// Pushes what `edit` changes of the open scene; nothing when it changes nothing or none is open.
void change_scene(Workspace& workspace, QUndoStack& undo, const QString& text, int topic,
                  const std::function<void(SceneDocument&)>& edit);

/// A change of the library: a file taken in, another name, something laid aside. When the folder refuses, the
/// command drops out of the history and the library is as it was.
class ChangeLibrary : public QUndoCommand {
  public:
    enum class Kind { add, rename, remove };
    ChangeLibrary(Workspace& workspace, Kind kind, const Choice& choice, bool is_character,
                  const QString& name);
    void undo() override;
    void redo() override;

  private:
    Workspace& workspace_;
    Kind kind_;
    Choice before_, after_;
    bool is_character_;
    QString name_;
    Trashed trashed_;  ///< what lies in the trash now
};

}  // namespace nb
