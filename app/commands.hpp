// What can be undone.
#pragma once
#include <QUndoCommand>

#include "app/workspace.hpp"

namespace nb {

/// A change of a pairing's settings. Changes of the same `topic` in a row become one (dragging, typing).
class ChangeSettings : public QUndoCommand {
  public:
    ChangeSettings(Workspace& workspace, const PairingSettings& after, const QString& text, int topic = -1);
    void undo() override { workspace_.set_settings(key_, before_); }
    void redo() override { workspace_.set_settings(key_, after_); }
    int id() const override { return topic_; }
    bool mergeWith(const QUndoCommand* other) override;

  private:
    Workspace& workspace_;
    QString key_;
    PairingSettings before_, after_;
    int topic_;
};

}  // namespace nb
