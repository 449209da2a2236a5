// Beside the stage: the scene's casts, the one in hand with its exact values, distances, the touch in hand.
#pragma once
#include <QWidget>
#include <array>

#include "app/work/playback.hpp"
#include "app/work/scene_edits.hpp"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QSpinBox;
class QToolButton;

namespace nb {

class ScenePanel : public QWidget {
    Q_OBJECT

  public:
    ScenePanel(Workspace& workspace, Playback& playback, SceneEdits& edits, QWidget* parent = nullptr);
    /// Into a folder that is asked for.
    void ask_hand_over();
    /// Of the touches in force; -1: none.
    void pick_touch(int touch);

  signals:
    void said(const QString& line);
    void touch_picked(int touch);
    void handle_wanted(bool moves, bool turns);

  private:
    Workspace& workspace_;
    Playback& playback_;
    SceneEdits& edits_;
    bool is_filling_ = false;
    int touch_ = -1;
    QWidget *none_, *open_;
    QLabel* list_;  ///< of the scenes there are, as links
    QLineEdit *scene_name_, *name_;
    QListWidget* casts_;
    QToolButton *add_, *remove_, *up_, *moves_, *turns_;
    QComboBox *take_, *target_, *by_, *idle_;
    QSpinBox* start_;
    QLabel *start_s_, *cost_, *found_, *body_;
    std::array<QDoubleSpinBox*, 2> at_cm_{};
    QDoubleSpinBox *turn_, *number_;
    QWidget* touch_form_;
    QComboBox *point_, *other_, *on_, *kind_, *sure_;
    QSpinBox *first_, *last_;
    QToolButton *remove_touch_, *as_found_;
    QPushButton* hand_over_;

    QWidget* make_none();
    QWidget* make_open();
    QWidget* make_cast_form(QWidget* parent);
    QWidget* make_touch_form(QWidget* parent);
    QComboBox* choice(const QString& name, const QString& tip, const std::function<void(int)>& chosen,
                      QWidget* parent);
    void refresh();
    void refresh_scenes();
    void refresh_casts();
    void refresh_touch();
    void add_touch();
    void change_touch(const std::function<void(BodyTouch&)>& edit);
};

}  // namespace nb
