// The sheet of Touch-up: the strip of a measure, or curves of the touched bone with and without; below a lane a touch-up;
// what the last change cost.
#pragma once
#include <QWidget>

class QComboBox;
class QLabel;
class QToolButton;

namespace nb {

class CurvesView;
class ErrorStrip;
class Playback;
class StageView;
class TouchEdits;
class TouchLanes;
class Workspace;

class TouchSheet : public QWidget {
    Q_OBJECT

  public:
    TouchSheet(Workspace& workspace, Playback& playback, StageView& stage, TouchEdits& edits,
               QWidget* parent = nullptr);
    TouchLanes& lanes() { return *lanes_; }
    void refresh_look();

  signals:
    void said(const QString& line);

  private:
    TouchEdits& edits_;
    ErrorStrip* strip_;
    CurvesView* curves_;
    TouchLanes* lanes_;
    QComboBox *measure_, *quantity_;
    QToolButton* with_curves_;
    QLabel* cost_;

    void show_curves(bool on);
};

}  // namespace nb
