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

}  // namespace nb
