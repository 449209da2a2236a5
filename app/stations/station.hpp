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

class Playback;
class StageView;
class Workspace;

/// What all stations work on. Lives as long as the window.
struct StationContext {
    Workspace& workspace;
    StageView& stage;
    Playback& playback;
    QUndoStack& undo;
    QWidget* window;  ///< the parent of what the station shows
};

/// A command of a station; it is at hand in all of them, and found by the finder.
struct StationAction {
    QString name;  ///< of the QAction
    QString text;
    QList<QKeySequence> keys;
    std::function<void()> run;
};

class Station : public QObject {
    Q_OBJECT

  public:
    using QObject::QObject;
    virtual QString id() const = 0;               ///< by which others ask for it: "rest"
    virtual QString name() const = 0;             ///< on the line
    virtual QString promise() const = 0;          ///< what it is for, in a sentence
    virtual QWidget* panel() { return nullptr; }  ///< beside the stage; none: the promise stands there
    virtual bool scrolls_by_itself() const {
        return false;
    }                                             ///< else the panel gets a scroll bar when it is long
    virtual QWidget* sheet() { return nullptr; }  ///< below the stage; none: the stage has the room
    virtual int sheet_height() const { return 208; }
    /// Its share of the line above it: work on bodies hangs close together.
    virtual double apart() const { return 1.0; }
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
    /// A remedy that lies in another station.
    void wanted(const QString& station, const QString& what);
};

using StationList = std::vector<Station*>;
/// In the order of the line; they belong to the window.
StationList make_stations(const StationContext& context);

/// A station that is not built yet: what it will be for.
class PromisedStation : public Station {
    Q_OBJECT

  public:
    PromisedStation(QString id, QString name, QString promise, double apart, QObject* parent)
        : Station(parent),
          id_(std::move(id)),
          name_(std::move(name)),
          promise_(std::move(promise)),
          apart_(apart) {}
    QString id() const override { return id_; }
    QString name() const override { return name_; }
    QString promise() const override { return promise_; }
    double apart() const override { return apart_; }

  private:
    QString id_, name_, promise_;
    double apart_;
};

}  // namespace nb
