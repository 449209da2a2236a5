// A station: one kind of work on the pair on the stage. It brings its panel and its sheet, says what is open
// in it, and is told when a person comes and goes. The window loops over the list that `make_stations` gives:
// a new one is a folder of its own beside these and one line there.
#pragma once
#include <QKeySequence>
#include <QObject>
#include <functional>
#include <vector>

class QUndoStack;
class QWidget;

namespace nb {

class LiveDesk;
class Playback;
class StageView;
class Workspace;

/// What all stations work on. Lives as long as the window.
struct StationContext {
    Workspace& workspace;
    StageView& stage;
    Playback& playback;
    QUndoStack& undo;
    LiveDesk& live;
    QWidget* window;  ///< the parent of what the station shows
};

/// A command of a station; it is at hand in all of them, and found by the finder.
struct StationAction {
    QString name;  ///< of the QAction
    QString text;
    QList<QKeySequence> keys;
    std::function<void()> run;
};

struct StationAbout {
    QString id;          ///< by which others ask for it: "rest"
    QString name;        ///< on the line
    QString promise;     ///< what it is for, in a sentence
    double apart = 1.0;  ///< its share of the line above it: work on bodies hangs close together
};

/// By itself: one that is not built yet, and says what it will be for.
class Station : public QObject {
    Q_OBJECT

  public:
    Station(StationAbout about, QObject* parent) : QObject(parent), about_(std::move(about)) {}
    const StationAbout& about() const { return about_; }
    QWidget* panel() const { return beside_; }  ///< beside the stage; none: the promise stands there
    QWidget* sheet() const { return below_; }   ///< below the stage; none: the stage has the room
    int sheet_height() const { return sheet_height_; }
    /// Pages of a sheet are dragged to heights of their own.
    const QString& sheet_page() const { return sheet_page_; }
    /// Else the panel gets a scroll bar when it is long.
    virtual bool scrolls_by_itself() const { return false; }
    virtual int open_points() const { return 0; }
    virtual std::vector<StationAction> actions() { return {}; }
    virtual void enter() {}
    virtual void leave() {}
    /// To something of the station: a role, a bone.
    virtual void go_to(const QString& /*what*/) {}
    virtual void refresh_look() {}

  signals:
    void said(const QString& line);
    void failed(const QString& line);
    void open_points_changed();
    void sheet_page_changed();
    /// A remedy that lies in another station.
    void wanted(const QString& station, const QString& what);

  protected:
    /// What the window shows of it; once, when it is made.
    void show_in_window(QWidget* panel, QWidget* sheet = nullptr, int sheet_height = 208) {
        beside_ = panel;
        below_ = sheet;
        sheet_height_ = sheet_height;
    }

    /// The sheet shows another of its pages, which wants this much room.
    void turn_page(const QString& page, int height) {
        if (page == sheet_page_) return;
        sheet_page_ = page;
        sheet_height_ = height;
        emit sheet_page_changed();
    }

  private:
    StationAbout about_;
    QWidget* beside_ = nullptr;
    QWidget* below_ = nullptr;
    int sheet_height_ = 0;
    QString sheet_page_;
};

using StationList = std::vector<Station*>;
/// In the order of the line; they belong to the window.
StationList make_stations(const StationContext& context);

}  // namespace nb
