// The sheet of Transfer: the strip of a measure or the curves of a bone with the lanes of the contacts below;
// or the list of events.
#pragma once
#include <QWidget>
#include <array>

#include "core/review/review.hpp"

class QComboBox;
class QLayout;
class QLabel;
class QToolButton;
class QUndoStack;

namespace nb {

class ContactLanes;
class CurvesView;
class ErrorStrip;
class EventDesk;
class EventsPage;
class Playback;
class StageView;
class Workspace;

class TransferSheet : public QWidget {
    Q_OBJECT

  public:
    enum class Page { strip, curves, events };
    TransferSheet(Workspace& workspace, Playback& playback, StageView& stage, QUndoStack& undo,
                  EventDesk& desk, QWidget* parent = nullptr);
    ErrorStrip& strip() { return *strip_; }
    ContactLanes& lanes() { return *lanes_; }
    CurvesView& curves() { return *curves_; }
    EventsPage& events() { return *events_; }
    void show_page(Page page);
    Page page() const { return page_; }
    void go_to_worst(ReviewMeasure measure);
    void go_to_next_worst();
    /// The contact of a foot at a frame, ready to be moved.
    void choose_contact(const QString& foot, int frame);
    void refresh_look();

  signals:
    void said(const QString& line);
    void page_shown(Page page);

  private:
    void build_hands();
    void refresh_hands();
    Workspace& workspace_;
    Playback& playback_;
    ErrorStrip* strip_;
    CurvesView* curves_;
    ContactLanes* lanes_;
    EventsPage* events_;
    EventDesk& desk_;
    Page page_ = Page::strip;
    QComboBox *measure_, *quantity_;
    QToolButton *worst_, *hands_;
    std::array<QToolButton*, 3> pages_{};
    QLabel* hint_;

    QLayout* make_head();
    void refresh_count();
};

}  // namespace nb
