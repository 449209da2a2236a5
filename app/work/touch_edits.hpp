// What a person does with touch-ups: layers and what lies in them, on three levels (this take here, the pair, the
// body), one of them in hand. Every change can be undone; what a change cost and won is told in figures.
#pragma once
#include <QObject>
#include <QString>
#include <functional>
#include <optional>
#include <utility>
#include <vector>

#include "app/work/workspace.hpp"
#include "core/touchup/habits.hpp"

class QUndoStack;

namespace nb {

/// Where a touch-up lies; `touch` -1: the layer itself.
struct TouchAt {
    SettingLevel level = SettingLevel::take;
    int layer = -1;
    int touch = -1;
    bool operator==(const TouchAt&) const = default;
};

class TouchEdits : public QObject {
    Q_OBJECT

  public:
    TouchEdits(Workspace& workspace, QUndoStack& undo, QObject* parent = nullptr);

    /// In the order in which they act: body, pair, take.
    static constexpr std::array<SettingLevel, 3> levels{SettingLevel::character, SettingLevel::pairing,
                                                        SettingLevel::take};
    const TouchLayers& layers(SettingLevel level) const;
    /// All touch-ups, in the order in which they act.
    std::vector<TouchAt> all() const;
    const TouchLayer* layer(const TouchAt& at) const;
    const TouchUp* touch(const TouchAt& at) const;

    const TouchAt& in_hand() const { return in_hand_; }
    const TouchUp* touch_in_hand() const { return touch(in_hand_); }
    void take_in_hand(const TouchAt& at);

    /// Into the layer in hand, else the last one of this take; takes it in hand.
    void add(const TouchUp& touch, const QString& text, int topic = -1);
    /// Changes of the same `topic` in a row become one.
    void change(const TouchAt& at, const QString& text, int topic, const std::function<void(TouchUp&)>& edit);
    void change_layer(const TouchAt& at, const QString& text, int topic,
                      const std::function<void(TouchLayer&)>& edit);
    void add_layer(const QString& name);
    /// The touch-up, or the whole layer.
    void remove(const TouchAt& at);
    /// One further to the front or the back among its kind.
    void move(const TouchAt& at, int by);
    /// The layer goes to the end of another level.
    void move_to(const TouchAt& at, SettingLevel level);
    void mute(const TouchAt& at, bool on);
    /// All other layers muted; once more: none.
    void solo(const TouchAt& at);
    void copy(const TouchAt& at);
    bool has_copy() const { return copied_.has_value(); }
    /// What was copied, beginning at a time of the file's clock.
    void paste(double at_s);
    /// On the other side: role and turn mirrored.
    void mirror(const TouchAt& at);

    /// What the body seems always to need: the same constant touch-up on several takes of the pair.
    std::optional<Habit> habit() const;
    /// It goes from these takes to the body.
    void keep_with_body(const Habit& habit);

    /// Dragging: a topic of its own for each time.
    int new_topic();
    /// Typing and nudging: the same one while the same thing of what is in hand is changed in a row.
    int topic_of(const void* thing);
    /// What the last change cost and won by the review, one line; empty while nothing is measured.
    QString cost() const;
    /// The review before it; null while the last change is not measured.
    std::shared_ptr<const Review> before() const;

  signals:
    void changed();  ///< touch-ups or what is in hand
    void measured();

  private:
    Workspace& workspace_;
    QUndoStack& undo_;
    TouchAt in_hand_;
    std::optional<TouchUp> copied_;
    int topic_ = 0x70c0;
    std::pair<const void*, TouchAt> topic_is_of_;
    std::shared_ptr<const Review> before_;  ///< the review before the last change
    std::shared_ptr<const Review> measured_;

    void put(SettingLevel level, const TouchLayers& layers, const QString& text, int topic);
};

/// "forearm L", "arm R", "the body"
QString touch_where(const TouchUp& touch);
/// "14° about the bone above", "18 cm higher", "grip, 70 %".
QString touch_words(const TouchUp& touch);
QString touch_kind_word(TouchKind kind);
QString touch_level_word(SettingLevel level);

}  // namespace nb
