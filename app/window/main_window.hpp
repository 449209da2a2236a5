// The window: wires the parts. Holds no computation.
#pragma once
#include <QMainWindow>
#include <QUndoStack>
#include <array>
#include <map>
#include <optional>

#include "app/stations/station.hpp"
#include "app/work/character_desk.hpp"
#include "app/work/commands.hpp"
#include "app/work/live_desk.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"

class QLabel;
class QSplitter;
class QStackedWidget;

namespace nb {

class ChangePage;
class CoveragePage;
class Handbook;
class LibraryPanel;
class NoticeBar;
class SentenceBar;
class StageBar;
class StageView;
class StationLine;
class Tape;
class TopBar;
class TakeSoundPlayer;
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
    SentenceBar& sentence();
    TopBar& top() { return *top_; }
    Handbook& handbook() { return *handbook_; }
    StationLine& stations() { return *stations_; }
    NoticeBar& notice() { return *notice_; }
    Transport& transport() { return *transport_; }
    QAction* action(const QString& name) const;  ///< by object name
    void set_look(const QString& name);
    void set_text_size(int percent);
    /// A page of the handbook beside the stage, at some words of it; by itself that of the station.
    void show_handbook(bool on, const QString& page = {}, const QString& at_words = {});
    /// `dropped_m`: where on the floor of the source they were dropped.
    void open_files(const QStringList& paths, const std::optional<Vec3>& dropped_m = {});
    void find_anything();
    void show_library(bool on);
    LibraryPanel& library() { return *library_; }
    /// The library at full width in the stage's place.
    void show_coverage(bool on);
    CoveragePage& coverage() { return *coverage_; }
    CharacterDesk& characters() { return characters_; }
    LiveDesk& live() { return live_; }
    ChangePage& change() { return *change_; }
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
    static constexpr int least_panel_px = 304;
    Workspace workspace_;
    Playback playback_;
    QUndoStack undo_;
    TopBar* top_;
    StationList list_;
    std::map<const Station*, QWidget*> pages_;  ///< as they stand in `panels_`
    Station* entered_ = nullptr;
    StationLine* stations_;
    StageView* stage_;
    Transport* transport_;
    Tape* tape_;
    TakeSoundPlayer* sound_;
    NoticeBar* notice_;
    QStackedWidget *panels_, *sheets_;
    QSplitter *across_, *down_;
    bool was_shown_ = false;
    DocumentKey shown_take_;  ///< the take in the transport, and how its frames lie in its file
    FileFrames shown_frames_;
    QLabel* promise_;
    StageBar* stage_bar_;
    Handbook* handbook_;
    LibraryPanel* library_;
    CoveragePage* coverage_;
    CharacterDesk characters_{workspace_, undo_};
    LiveDesk live_{workspace_, playback_};
    ChangePage* change_;
    QStackedWidget* places_;  ///< the stage with its sheet, or the coverage, or a change that is looked at
    QWidget* stage_side_;
    bool is_library_shown_ = false;
    /// A pair that is being opened, and the frame to go to.
    struct Wanted {
        QString take, character;
        int frame = 0;
    };
    std::optional<Wanted> wanted_;
    static constexpr std::array<int, 4> text_sizes{100, 112, 125, 150};  ///< percent
    bool is_paper_ = false;
    int text_percent_ = 100;
    QString last_opened_;
    bool close_anyway_ = false;
    int changes_ = 0;  ///< of the undo stack, when the result was last kept as that before a change

    QAction* add(const QString& name, const QString& text, const QList<QKeySequence>& keys,
                 const std::function<void()>& run);
    void make_actions();
    void add_station_keys();
    QWidget* scrolled(QWidget* panel);
    QWidget* make_stage_side();
    QWidget* make_panels();
    QWidget* make_coverage();
    QWidget* make_change();
    /// A page in the stage's place; null: the stage.
    void show_page(QWidget* page);
    bool is_page_shown() const;
    bool is_change_shown() const;
    void ask_newer(int character);
    void ask_template(int character, bool to_write);
    void open_pair(const QString& take, const QString& character, int frame);
    void go_to_wanted();
    void change_words(bool is_character, int index, const ItemWords& words);
    bool is_coverage_shown() const;
    void connect_parts();
    void connect_workspace();
    void take_to_transport();
    void follow_pace();
    void tell_opened(const QString& path, bool as_take, const QString& holds);
    void tell_sorted(const std::vector<SortedFile>& files);
    void read_look();
    void refresh_look();
    void step_text_size(int by);
    void refresh_title();
    void show_unsaved();
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
