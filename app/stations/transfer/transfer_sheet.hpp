// The sheet of Transfer: the strip of a measure or the curves of a bone, and the lanes of the contacts below.
#pragma once
#include <QWidget>

#include "core/review/review.hpp"

class QComboBox;
class QHBoxLayout;
class QLabel;
class QToolButton;
class QUndoStack;

namespace nb {

class ContactLanes;
class CurvesView;
class ErrorStrip;
class Playback;
class StageView;
class Workspace;

class TransferSheet : public QWidget {
    Q_OBJECT

  public:
    TransferSheet(Workspace& workspace, Playback& playback, StageView& stage, QUndoStack& undo,
                  QWidget* parent = nullptr);
    ErrorStrip& strip() { return *strip_; }
    ContactLanes& lanes() { return *lanes_; }
    CurvesView& curves() { return *curves_; }
    /// Curves of the selected bone in the place of the strip.
    void show_curves(bool on);
    bool has_curves() const;
    void go_to_worst(ReviewMeasure measure);
    void go_to_next_worst();
    /// The contact of a foot at a frame, ready to be moved.
    void choose_contact(const QString& foot, int frame);
    void refresh_look();

  signals:
    void said(const QString& line);

  private:
    Workspace& workspace_;
    Playback& playback_;
    ErrorStrip* strip_;
    CurvesView* curves_;
    ContactLanes* lanes_;
    QComboBox *measure_, *quantity_;
    QToolButton *worst_, *curves_button_;
    QLabel* hint_;

    QHBoxLayout* make_head();
};

}  // namespace nb
