// The window: wires the parts. Holds no computation.
#pragma once
#include <QMainWindow>
#include <QUndoStack>

#include "app/playback.hpp"
#include "app/work/commands.hpp"
#include "app/work/workspace.hpp"

class QLabel;
class QSlider;
class QStackedWidget;
class QComboBox;
class QToolButton;

namespace nb {

class ChainRuler;
class ChainsPanel;
class ContactLanes;
class CurvesView;
class ErrorStrip;
class IntakePanel;
class IntakeSheet;
class LibraryPanel;
class NoticeBar;
class RailsView;
class RestPanel;
class RestSheet;
class RolesPanel;
class SentenceBar;
class StageView;
class StationLine;
class TransferPanel;
class Transport;

class MainWindow : public QMainWindow {
    Q_OBJECT

  public:
    explicit MainWindow(QWidget* parent = nullptr);
    ~MainWindow() override;

    Workspace& workspace() { return workspace_; }
    Playback& playback() { return playback_; }
    QUndoStack& undo_stack() { return undo_; }
    StageView& stage() { return *stage_; }
    SentenceBar& sentence() { return *sentence_; }
    StationLine& stations() { return *stations_; }
    ErrorStrip& strip() { return *strip_; }
    ContactLanes& lanes() { return *lanes_; }
    CurvesView& curves() { return *curves_; }
    /// Curves of the selected bone in the place of the strip.
    void show_curves(bool on);
    NoticeBar& notice() { return *notice_; }
    TransferPanel& panel() { return *panel_; }
    Transport& transport() { return *transport_; }
    QAction* action(const QString& name) const;  ///< by object name
    void set_look(const QString& name);
    void open_files(const QStringList& paths);
    void find_anything();
    void show_library(bool on);
    LibraryPanel& library() { return *library_; }
    RailsView& rails() { return *rails_; }
    RolesPanel& roles() { return *roles_; }
    IntakePanel& intake() { return *intake_; }
    IntakeSheet& intake_sheet() { return *intake_sheet_; }
    RestPanel& rest() { return *rest_; }
    RestSheet& rest_sheet() { return *rest_sheet_; }
    ChainRuler& ruler() { return *ruler_; }
    ChainsPanel& chains() { return *chains_; }
    void write_standard(const QString& path, bool is_vrm);
    void export_to(const QString& path) { workspace_.export_result(path); }

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    Workspace workspace_;
    Playback playback_;
    QUndoStack undo_;
    SentenceBar* sentence_;
    StationLine* stations_;
    StageView* stage_;
    ErrorStrip* strip_;
    ContactLanes* lanes_;
    CurvesView* curves_;
    QComboBox* quantity_;
    QToolButton *worst_, *curves_button_;
    QLabel* strip_hint_;
    TransferPanel* panel_;
    Transport* transport_;
    NoticeBar* notice_;
    QStackedWidget *panels_, *sheets_;
    QLabel* promise_;
    QLabel* view_label_;
    QSlider* spread_;
    QComboBox* measure_;
    QToolButton *undo_button_, *redo_button_, *find_button_, *open_button_, *export_button_, *look_button_,
        *library_button_, *unsaved_button_;
    LibraryPanel* library_;
    RailsView* rails_;
    RolesPanel* roles_;
    IntakePanel* intake_;
    IntakeSheet* intake_sheet_;
    RestPanel* rest_;
    RestSheet* rest_sheet_;
    ChainRuler* ruler_;
    ChainsPanel* chains_;
    QWidget* chains_page_;
    QWidget *intake_page_, *rest_page_;  ///< with their scroll bars
    bool is_library_shown_ = false;
    bool is_paper_ = false;
    QString last_opened_;
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
    QWidget* make_sheet();
    void refresh_icons();
    void refresh_title();
    void show_unsaved();
    void refresh_view_label();
    void show_station();
    void go_to_worst(ReviewMeasure measure);
    void change_library(ChangeLibrary::Kind kind, bool is_character, int index, const QString& name);
    void ask_library(bool is_new);
    void ask_export();
    void ask_standard(bool is_vrm);
    void refresh_open_points();
    void ask_open(bool as_target);
};

}  // namespace nb
