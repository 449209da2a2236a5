// The window: wires the parts. Holds no computation.
#pragma once
#include <QMainWindow>
#include <QUndoStack>
#include <map>

#include "app/stations/station.hpp"
#include "app/work/commands.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"

class QLabel;
class QSlider;
class QSplitter;
class QStackedWidget;
class QToolButton;

namespace nb {

class LibraryPanel;
class NoticeBar;
class SentenceBar;
class StageView;
class StateLine;
class StationLine;
class Transport;

class MainWindow : public QMainWindow {
    Q_OBJECT

  public:
    using MakeStations = std::function<StationList(const StationContext&)>;
    explicit MainWindow(QWidget* parent = nullptr, const MakeStations& make_list = make_stations);
    ~MainWindow() override;

    Workspace& workspace() { return workspace_; }
    Playback& playback() { return playback_; }
    QUndoStack& undo_stack() { return undo_; }
    StageView& stage() { return *stage_; }
    SentenceBar& sentence() { return *sentence_; }
    StationLine& stations() { return *stations_; }
    NoticeBar& notice() { return *notice_; }
    Transport& transport() { return *transport_; }
    QAction* action(const QString& name) const;  ///< by object name
    void set_look(const QString& name);
    void open_files(const QStringList& paths);
    void find_anything();
    void show_library(bool on);
    LibraryPanel& library() { return *library_; }
    /// A part of the window or of a station by its class; there must be one.
    template <typename Part>
    Part& part() const {
        return *findChild<Part*>();
    }
    void write_standard(const QString& path, bool is_vrm);
    /// Writes the result; what the format would lose is said before.
    void export_to(const QString& path);

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    Workspace workspace_;
    Playback playback_;
    QUndoStack undo_;
    SentenceBar* sentence_;
    StateLine* state_;
    StationList list_;
    std::map<const Station*, QWidget*> pages_;  ///< as they stand in `panels_`
    Station* entered_ = nullptr;
    StationLine* stations_;
    StageView* stage_;
    Transport* transport_;
    NoticeBar* notice_;
    QStackedWidget *panels_, *sheets_;
    QSplitter *across_, *down_;
    bool was_shown_ = false;
    DocumentKey shown_take_;  ///< the take in the transport, and how its frames lie in its file
    FileFrames shown_frames_;
    QLabel* promise_;
    QLabel* view_label_;
    QSlider* spread_;
    QToolButton *undo_button_, *redo_button_, *find_button_, *open_button_, *export_button_, *look_button_,
        *library_button_, *unsaved_button_;
    LibraryPanel* library_;
    bool is_library_shown_ = false;
    bool is_paper_ = false;
    QString last_opened_;
    QString to_export_;      ///< waits for a person to say that what is lost may be lost
    QStringList conflicts_;  ///< documents that somebody else has changed
    bool close_anyway_ = false;
    int changes_ = 0;  ///< of the undo stack, when the result was last kept as that before a change

    QAction* add(const QString& name, const QString& text, const QList<QKeySequence>& keys,
                 const std::function<void()>& run);
    void make_actions();
    QWidget* scrolled(QWidget* panel);
    QWidget* make_top();
    QWidget* make_stage_side();
    QWidget* make_stage_bar();
    void refresh_icons();
    void refresh_title();
    void show_unsaved();
    void refresh_view_label();
    void show_station();
    void give_room();
    void fit_screen();
    void show_in(const QString& station, const QString& what);
    void change_library(ChangeLibrary::Kind kind, bool is_character, int index, const QString& name);
    void trim_to_range();
    QString export_remark() const;
    void ask_library(bool is_new);
    void ask_export();
    void ask_standard(bool is_vrm);
    void ask_open(bool as_target);
};

}  // namespace nb
