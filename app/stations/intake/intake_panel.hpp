// What a file holds and what is odd about it: findings with their evidence, each with its repair and the way
// back; and what can be set by hand: trim, rate, proportions. Of the take's file or the target's.
#pragma once
#include <QWidget>
#include <array>

#include "app/work/workspace.hpp"
#include "core/intake/findings.hpp"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QListWidget;
class QPushButton;
class QSpinBox;
class QVBoxLayout;
class QUndoStack;

namespace nb {

class BodySwitch;
class Playback;
class StageView;

class AlongForm;
class ThingsForm;

class IntakePanel : public QWidget {
    Q_OBJECT

  public:
    IntakePanel(Workspace& workspace, StageView& stage, Playback& playback, QUndoStack& undo,
                QWidget* parent = nullptr);
    bool is_of_target() const { return is_of_target_; }
    void show_body(bool of_target);
    const std::vector<Finding>& findings() const { return findings_; }
    /// Open points of both files.
    int open_points() const;
    /// Puts the mesh of a file on the take's stage.
    void put_thing(const QString& path, const std::optional<Vec3>& at_m = {});
    /// The station is come to and left: arms of a thing stand on the stage only there.
    void set_entered(bool on);
    /// Makes a change of how the file is read, undoable.
    void change(const LoadOptions& options, const QString& text);

  signals:
    void body_shown(bool of_target);

  private:
    Workspace& workspace_;
    StageView& stage_;
    Playback& playback_;
    QUndoStack& undo_;
    bool is_of_target_ = false;
    std::vector<Finding> findings_;
    struct Found {
        LoadedPtr file, partner;
        std::vector<Finding> findings;
    };
    mutable std::array<Found, 2> found_;
    BodySwitch* which_;
    QLabel *holds_, *take_heading_;
    QVBoxLayout* cards_;
    QWidget *cards_box_, *take_box_;
    QSpinBox *first_, *last_;
    QDoubleSpinBox *fps_, *legs_, *arms_, *trunk_, *part_length_;
    QComboBox* part_;
    AlongForm* along_;
    ThingsForm* things_;
    bool is_entered_ = false;
    Vec3 dragged_m_ = Vec3::Zero();
    QPushButton* limber_;
    QLabel* opened_heading_;
    QListWidget* opened_;  ///< files beside the library, with what each holds

    void refresh();
    void show_arms();
    void end_drag(bool is_kept);
    QWidget* card_of(const Finding& finding);
    void set_by_hand();
    void show_part();
    void refresh_opened();
    /// Found once for each file that is taken up: a long take is gone through as a whole.
    const std::vector<Finding>& findings_of(bool of_target) const;
};

}  // namespace nb
