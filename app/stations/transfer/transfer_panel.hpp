// The panel of the Transfer station: the figures of the review beside the pinned result's, where it falls
// short, the passes with how far each moves the body, the place map, and what has no partner.
#pragma once
#include <QTimer>
#include <QWidget>
#include <array>

#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"
#include "core/review/events.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QLabel;
class QPushButton;
class QUndoStack;

namespace nb {

class TransferPanel : public QWidget {
    Q_OBJECT

  public:
    TransferPanel(Workspace& workspace, Playback& playback, QUndoStack& undo, QWidget* parent = nullptr);

  signals:
    void worst_wanted(ReviewMeasure measure);
    void said(const QString& line);
    /// A remedy that lies in another place: the rest of a role, the contact of a foot at a frame.
    void rest_wanted(const QString& role);
    void contact_wanted(const QString& foot, int frame);

  public:
    /// Pins the result in force, or lets go of the pinned one.
    void toggle_pin();
    /// What stands in the column of the pinned result; empty when nothing is pinned.
    QStringList pinned_texts() const;
    const std::vector<ReviewEvent>& events() const { return events_; }
    /// Goes to an event and says it; `remedy` of it is done when it is one.
    void follow(int event, int remedy = -1);

  private:
    std::vector<ReviewEvent> events_;
    QLabel* event_list_;
    Workspace& workspace_;
    Playback& playback_;
    QTimer unread_;
    QUndoStack& undo_;
    std::array<QLabel*, 6> target_figures_{}, source_figures_{}, pinned_figures_{};
    QLabel *pinned_head_, *pinned_words_;
    QPushButton* pin_;
    std::array<QCheckBox*, pass_table.size()> passes_{};
    std::array<QLabel*, pass_table.size()> distances_{};
    QCheckBox *by_legs_, *on_root_;
    QDoubleSpinBox* scale_;
    QLabel* level_;
    QLabel* notes_;

    void change(const QString& text, int topic, const std::function<void(PairingSettings&)>& edit);
    void refresh_settings();
    void refresh_distances();
    void refresh_review();
    void refresh_events();
    void refresh_pinned();
};

}  // namespace nb
