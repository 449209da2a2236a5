// One value that is changed as a whole, before and after.
#pragma once
#include <QString>
#include <QUndoCommand>
#include <functional>
#include <utility>

namespace nb {

/// Changes of the same `topic` in a row are one; topic -1: each by itself.
template <typename Value>
class ValueChange : public QUndoCommand {
  public:
    ValueChange(std::function<void(const Value&)> set, Value before, Value after, const QString& text,
                int topic)
        : QUndoCommand(text),
          set_(std::move(set)),
          before_(std::move(before)),
          after_(std::move(after)),
          topic_(topic) {}
    void undo() override { set_(before_); }
    void redo() override { set_(after_); }
    int id() const override { return topic_ < 0 ? -1 : 0x0dde; }
    bool mergeWith(const QUndoCommand* other) override {
        const auto* next = dynamic_cast<const ValueChange*>(other);
        if (!next || next->topic_ != topic_) return false;
        after_ = next->after_;
        return true;
    }

  private:
    std::function<void(const Value&)> set_;
    Value before_, after_;
    int topic_;
};

}  // namespace nb
