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
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QGridLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QUndoStack;

namespace nb {

class EventDesk;

class TransferPanel : public QWidget {
    Q_OBJECT

  public:
    TransferPanel(Workspace& workspace, Playback& playback, QUndoStack& undo, EventDesk& desk,
                  QWidget* parent = nullptr);

  signals:
    void worst_wanted(ReviewMeasure measure);
    void said(const QString& line);
    void events_wanted();

  public:
    /// Pins the result in force, or lets go of the pinned one.
    void toggle_pin();
    void refresh_look();
    /// What stands in the column of the pinned result; empty when nothing is pinned.
    QStringList pinned_texts() const;

  private:
    QLabel *falls_short_, *event_list_;
    QComboBox* verdict_;
    QLineEdit* note_;
    Workspace& workspace_;
    Playback& playback_;
    EventDesk& desk_;
    QTimer unread_;
    QUndoStack& undo_;
    std::array<QLabel*, 6> target_figures_{}, source_figures_{}, pinned_figures_{};
    QLabel *pinned_head_, *pinned_words_;
    QPushButton* pin_;
    std::array<QCheckBox*, pass_table.size()> passes_{};
    std::array<QLabel*, pass_table.size()> distances_{};
    QLabel* reaches_;  ///< which limb's reach moves which bone
    QCheckBox *by_legs_, *on_root_;
    QDoubleSpinBox* scale_;
    QComboBox* about_;
    std::array<QDoubleSpinBox*, 2> about_cm_;  ///< x, z of a place
    QLabel* level_;
    QLabel* notes_;

    void change(const QString& text, int topic, const std::function<void(PairingSettings&)>& edit);
    void add_map_centre(QGridLayout& map);
    void refresh_settings();
    void refresh_map_centre();
    void refresh_distances();
    void refresh_reaches();
    void refresh_review();
    void refresh_events();
    void refresh_verdict();
    void refresh_pinned();
};

}  // namespace nb
