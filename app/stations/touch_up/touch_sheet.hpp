// The sheet of Touch-up: the strip of a measure, and below it a lane a touch-up; what the last change cost.
#pragma once
#include <QWidget>

class QComboBox;
class QLabel;

namespace nb {

class ErrorStrip;
class Playback;
class TouchEdits;
class TouchLanes;
class Workspace;

class TouchSheet : public QWidget {
    Q_OBJECT

  public:
    TouchSheet(Workspace& workspace, Playback& playback, TouchEdits& edits, QWidget* parent = nullptr);
    TouchLanes& lanes() { return *lanes_; }

  signals:
    void said(const QString& line);

  private:
    TouchEdits& edits_;
    ErrorStrip* strip_;
    TouchLanes* lanes_;
    QComboBox* measure_;
    QLabel* cost_;
};

}  // namespace nb
