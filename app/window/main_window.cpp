#include "app/window/main_window.hpp"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QAbstractSpinBox>
#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QScreen>
#include <QScrollArea>
#include <QSettings>
#include <QSlider>
#include <QSplitter>
#include <QStackedWidget>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/dock/library_panel.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stage/stage_view.hpp"
#include "app/window/finder.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/state_line.hpp"
#include "app/window/station_line.hpp"
#include "app/window/transport.hpp"
#include "app/window/unsaved_list.hpp"
#include "core/base/fault.hpp"
#include "core/handover/export.hpp"
#include "core/handover/vrm.hpp"

#include <utility>

namespace nb {

namespace {

const char* save_anyway = "save mine over it";
const char* take_theirs = "take theirs, let go of mine";
const char* leftovers_aside = "lay it aside, to the trash";
const char* use_as_target = "use its body as the target instead";
const char* write_it = "write it all the same";
const char* leave_unsaved = "leave without saving";
const char* save_first = "save and leave";

constexpr int least_panel_px = 304;
constexpr int stage_bar_px = 28;

QString sheet_key(const Station& station) {
    return "sheet height/" + station.about().id + station.sheet_page();
}

QToolButton* bare(QWidget* parent) {
    auto* button = new QToolButton(parent);
    button->setObjectName("bare");
    button->setFocusPolicy(Qt::TabFocus);
    return button;
}

/// Where files of a kind were last chosen.
QString last_folder(const QString& kind) {
    const QString folder = QSettings().value("folder/" + kind).toString();
    return QFileInfo(folder).isDir() ? folder : QString();
}

void remember_folder(const QString& kind, const QString& path) {
    QSettings().setValue("folder/" + kind, QFileInfo(path).absolutePath());
}

}  // namespace

MainWindow::MainWindow(QWidget* parent, const MakeStations& make_list) : QMainWindow(parent) {
    apply_look(QSettings().value("look", "ink").toString());  // before any widget takes its font
    setAcceptDrops(true);
    setMinimumSize(1000, 640);
    resize(QSettings().value("window/size", QSize(1280, 800)).toSize());
    stage_ = new StageView(workspace_, playback_, this);
    sentence_ = new SentenceBar(workspace_, this);
    list_ = make_list({workspace_, *stage_, playback_, undo_, this});
    stations_ = new StationLine(list_, this);
    transport_ = new Transport(playback_, this);
    notice_ = new NoticeBar(this);
    make_actions();

    auto* centre = new QWidget(this);
    centre->setObjectName("page");
    auto* rows = new QVBoxLayout(centre);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    rows->addWidget(make_top());
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    middle->addWidget(stations_);
    across_ = new QSplitter(Qt::Horizontal, this);
    across_->setHandleWidth(3);
    across_->setChildrenCollapsible(false);
    across_->addWidget(make_stage_side());
    panels_ = new QStackedWidget(this);
    panels_->setMinimumWidth(least_panel_px);
    panels_->setObjectName("raised");
    promise_ = new QLabel(this);
    promise_->setWordWrap(true);
    promise_->setMargin(16);
    promise_->setAlignment(Qt::AlignTop);
    panels_->addWidget(promise_);
    library_ = new LibraryPanel(workspace_, this);
    panels_->addWidget(library_);
    for (Station* station : list_) {
        QWidget* panel = station->panel();
        if (panel && !station->scrolls_by_itself()) panel = scrolled(panel);
        if (panel) panels_->addWidget(panel);
        pages_[station] = panel ? panel : promise_;
        if (QWidget* sheet = station->sheet()) sheets_->addWidget(sheet);
        connect(station, &Station::said, this, [this](const QString& line) { notice_->say(line); });
        connect(station, &Station::failed, this, [this](const QString& line) { notice_->say(line, true); });
        connect(station, &Station::wanted, this, &MainWindow::show_in);
        connect(station, &Station::sheet_page_changed, this, &MainWindow::give_room);
        connect(station, &Station::open_points_changed, stations_, &StationLine::refresh_open_points);
    }
    connect(library_, &LibraryPanel::rename_wanted, this,
            [this](bool is_character, int index, const QString& name) {
                change_library(ChangeLibrary::Kind::rename, is_character, index, name);
            });
    connect(library_, &LibraryPanel::remove_wanted, this, [this](bool is_character, int index) {
        change_library(ChangeLibrary::Kind::remove, is_character, index, {});
    });
    connect(library_, &LibraryPanel::add_wanted, this, [this](bool is_character, int index) {
        change_library(ChangeLibrary::Kind::add, is_character, index, {});
    });
    connect(library_, &LibraryPanel::library_wanted, this, &MainWindow::ask_library);
    across_->addWidget(panels_);
    across_->setStretchFactor(0, 1);
    across_->setStretchFactor(1, 0);
    middle->addWidget(across_, 1);
    rows->addLayout(middle, 1);
    rows->addWidget(transport_);
    setCentralWidget(centre);

    connect(across_, &QSplitter::splitterMoved, this,
            [this] { QSettings().setValue("panel width", panels_->width()); });
    connect(&workspace_, &Workspace::source_changed, this, [this] {
        const Take& take = *workspace_.source()->file.take;
        // Read anew, it is the same take: frame and range keep their place in the file.
        const bool is_same = std::exchange(shown_take_, workspace_.key(false)) == workspace_.key(false);
        const FileFrames before = std::exchange(shown_frames_, workspace_.take_frames());
        const auto now_of = [before, now = shown_frames_](int frame) {
            return now.from_file(before.to_file(frame));
        };
        playback_.set_take(take.frames, take.frame_time_s,
                           is_same ? std::function<int(int)>(now_of) : std::function<int(int)>());
        if (playback_.frame() < take.first_motion_frame) playback_.go_to(take.first_motion_frame);
    });
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed,
                              &Workspace::rest_changed, &Workspace::settings_changed})
        connect(&workspace_, signal, stations_, &StationLine::refresh_open_points);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed, &Workspace::judged})
        connect(&workspace_, signal, this, [this] { transport_->set_marks(workspace_.marked_frames()); });
    connect(transport_, &Transport::trim_wanted, action("trim to range"), &QAction::trigger);
    connect(&workspace_, &Workspace::limbering_changed, this,
            [this] { playback_.play(workspace_.is_limbering()); });
    connect(&workspace_, &Workspace::progressed, notice_, &NoticeBar::show_progress);
    connect(&workspace_, &Workspace::said, this, [this](const QString& line) { notice_->say(line); });
    connect(&workspace_, &Workspace::failed, this, [this](const QString& line) { notice_->say(line, true); });
    connect(&workspace_, &Workspace::changed_by_others, this,
            [this](const QStringList& documents, const QString& line) {
                conflicts_ = documents;
                notice_->say(line, true, {save_anyway, take_theirs});
            });
    connect(&workspace_, &Workspace::leftovers_found, this, [this](int count) {
        notice_->say(
            tr("%n thing(s) in the library were left half done by a program that ended.", nullptr, count),
            true, {leftovers_aside});
    });
    connect(&workspace_, &Workspace::unsaved_changed, this, &MainWindow::refresh_title);
    connect(&workspace_, &Workspace::file_opened, this,
            [this](const QString& path, bool as_take, const QString& holds) {
                last_opened_ = path;
                const QString name = QFileInfo(path).fileName();
                if (as_take)
                    notice_->say(tr("%1: %2. It is the take now.").arg(name, holds), false, {use_as_target});
                else
                    notice_->say(tr("%1: %2. It is the target now.").arg(name, holds));
            });
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, [this] {
            // What is said of an opened file goes with it.
            const QString name = QFileInfo(last_opened_).fileName();
            if (name.isEmpty() || !notice_->line().startsWith(name + ":")) return;
            for (const bool of_target : {false, true})
                if (const LoadedPtr body = workspace_.body(of_target);
                    body && QString::fromStdString(body->file.character.rig.path) == last_opened_)
                    return;
            notice_->say({});
        });
    connect(&workspace_, &Workspace::files_sorted, this, [this](const std::vector<SortedFile>& files) {
        QStringList lines;
        bool has_trouble = false;
        for (const SortedFile& file : files) {
            has_trouble |= file.as == Taken::nothing;
            QString line = tr("%1: %2").arg(QFileInfo(QString::fromStdString(file.path)).fileName(),
                                            QString::fromStdString(file.holds));
            if (file.as == Taken::rig) line += tr(" — a target");
            if (file.as == Taken::take) line += tr(" — a take");
            if (!file.why.empty()) line += tr(", %1").arg(QString::fromStdString(file.why));
            lines << line;
        }
        const bool is_only_library = files.size() == 1 && files[0].as == Taken::library;
        if (!is_only_library) notice_->say(lines.join('\n'), has_trouble);
    });
    connect(notice_, &NoticeBar::cancel_wanted, this, [this] { workspace_.cancel(); });
    connect(notice_, &NoticeBar::link_chosen, this, [this](const QString& link) {
        notice_->say({});
        if (link == save_anyway) workspace_.save(true);
        if (link == take_theirs)
            for (const QString& document : std::exchange(conflicts_, {})) workspace_.take_theirs(document);
        if (link == leftovers_aside) workspace_.lay_leftovers_aside();
        if (link == write_it) workspace_.export_result(to_export_, export_remark());
        if (link == use_as_target) workspace_.open_file(last_opened_, true);
        if (link == save_first) workspace_.save();
        if (link == save_first || link == leave_unsaved) {
            if (link == leave_unsaved) workspace_.drop_recovery();
            close_anyway_ = link == leave_unsaved || !workspace_.has_unsaved_changes();
            if (close_anyway_) close();
        }
    });
    connect(&workspace_, &Workspace::settings_changed, this, &MainWindow::refresh_title);
    connect(stations_, &StationLine::station_chosen, this, [this] { show_library(false); });
    connect(stage_, &StageView::view_changed, this, &MainWindow::refresh_view_label);
    connect(stage_, &StageView::selection_changed, this, &MainWindow::refresh_view_label);
    connect(stage_, &StageView::trouble_found, this, [this](const QString& line) {
        notice_->say(tr("The stage cannot be drawn: %1. Everything else works.").arg(line), true);
    });
    connect(sentence_, &SentenceBar::open_take_wanted, this, [this] { ask_open(false); });
    connect(sentence_, &SentenceBar::open_target_wanted, this, [this] { ask_open(true); });
    connect(&undo_, &QUndoStack::indexChanged, this, [this](int index) {
        if (index != std::exchange(changes_, index)) workspace_.remember_before();
    });
    set_look(QSettings().value("look", "ink").toString());
    refresh_title();
    refresh_view_label();
    show_station();
    stage_->setFocus();
    qApp->installEventFilter(this);
    // The mouse leaves the keyboard with the stage: Space plays after any click.
    for (auto* button : findChildren<QAbstractButton*>()) button->setFocusPolicy(Qt::TabFocus);
}

MainWindow::~MainWindow() {
    // A field that loses the keyboard still speaks: it does so while what it speaks to is there.
    if (QWidget* with_keyboard = focusWidget()) with_keyboard->clearFocus();
    workspace_.disconnect();
}

QAction* MainWindow::action(const QString& name) const {
    return findChild<QAction*>(name);
}

QAction* MainWindow::add(const QString& name, const QString& text, const QList<QKeySequence>& keys,
                         const std::function<void()>& run) {
    auto* action = new QAction(text, this);
    action->setObjectName(name);
    action->setShortcuts(keys);
    action->setToolTip(keys.isEmpty()
                           ? text
                           : QString("%1 (%2)").arg(text, keys.front().toString(QKeySequence::NativeText)));
    connect(action, &QAction::triggered, this, [run] { run(); });
    addAction(action);
    return action;
}

void MainWindow::make_actions() {
    add("play", tr("Play or pause"), {Qt::Key_Space}, [this] { playback_.play(!playback_.is_playing()); });
    add("frame back", tr("One frame back"), {Qt::Key_Left}, [this] { playback_.step(-1); });
    add("frame on", tr("One frame on"), {Qt::Key_Right}, [this] { playback_.step(1); });
    add("ten frames back", tr("Ten frames back"), {QKeySequence(Qt::SHIFT | Qt::Key_Left)},
        [this] { playback_.step(-10); });
    add("ten frames on", tr("Ten frames on"), {QKeySequence(Qt::SHIFT | Qt::Key_Right)},
        [this] { playback_.step(10); });
    add("range start", tr("To the start of the range"), {Qt::Key_Home},
        [this] { playback_.go_to(playback_.first()); });
    add("range end", tr("To the end of the range"), {Qt::Key_End},
        [this] { playback_.go_to(playback_.last() - 1); });
    add("range from here", tr("Range starts here"), {Qt::Key_BracketLeft},
        [this] { playback_.set_range(playback_.frame(), playback_.last()); });
    add("range to here", tr("Range ends here"), {Qt::Key_BracketRight},
        [this] { playback_.set_range(playback_.first(), playback_.frame() + 1); });
    add("whole range", tr("Range is the whole take"), {QKeySequence(Qt::SHIFT | Qt::Key_BracketLeft)},
        [this] { playback_.set_range(0, playback_.frames()); });
    add("trim to range", tr("Trim the take to the range that plays"),
        {QKeySequence(Qt::CTRL | Qt::Key_BracketRight)}, [this] { trim_to_range(); });
    add("loop", tr("Loop on or off"), {Qt::Key_L}, [this] { playback_.set_looped(!playback_.is_looped()); });
    add("target before", tr("Target before"), {QKeySequence(Qt::ALT | Qt::Key_Left)},
        [this] { workspace_.step_target(-1); });
    add("target after", tr("Next target"), {QKeySequence(Qt::ALT | Qt::Key_Right)},
        [this] { workspace_.step_target(1); });
    add("next view", tr("Next view: three-quarter, front, side, top"), {Qt::Key_V},
        [this] { stage_->next_view(); });
    add("opposite view", tr("Look from the other side: back, other side, below"),
        {QKeySequence(Qt::SHIFT | Qt::Key_V)}, [this] { stage_->opposite_view(); });
    const std::array<std::pair<const char*, View>, 7> views{{{"three-quarter view", View::three_quarter},
                                                             {"front view", View::front},
                                                             {"side view", View::side},
                                                             {"top view", View::top},
                                                             {"back view", View::back},
                                                             {"other side view", View::other_side},
                                                             {"view from below", View::below}}};
    for (size_t i = 0; i < views.size(); ++i)
        add(views[i].first, tr("Look from: %1").arg(text_of(view_name(views[i].second))),
            {QKeySequence(QString::number(i + 1))},
            [this, view = views[i].second] { stage_->set_view(view); });
    add("long lens", tr("Long lens or wide"), {Qt::Key_N},
        [this] { stage_->set_long_lens(!stage_->is_long_lens()); });
    add("frame selection", tr("Frame the selection, or both bodies"), {Qt::Key_F},
        [this] { stage_->frame_selection(); });
    add("spread", tr("Side by side, or over each other"), {Qt::Key_S},
        [this] { stage_->set_spread(stage_->spread() > 0.2 ? 0.0 : 0.75); });
    add("show", tr("Show both, the source or the target alone"), {Qt::Key_B},
        [this] { stage_->set_shown(StageView::Shown((int(stage_->shown()) + 1) % 3)); });
    for (const bool of_target : {true, false})
        add(of_target ? "target look" : "source look",
            of_target ? tr("Target as mesh, x-ray, bones or hidden")
                      : tr("Source as mesh, x-ray, bones or hidden"),
            {of_target ? QKeySequence(Qt::Key_M) : QKeySequence(Qt::SHIFT | Qt::Key_M)}, [this, of_target] {
                const BodyLook now = stage_->body_look(of_target);
                stage_->set_body_look(of_target, now == BodyLook::mesh    ? BodyLook::xray
                                                 : now == BodyLook::xray  ? BodyLook::bones
                                                 : now == BodyLook::bones ? BodyLook::hidden
                                                                          : BodyLook::mesh);
            });
    add("insets", tr("Foot insets"), {Qt::Key_I}, [this] { stage_->set_insets(!stage_->has_insets()); });
    add("names", tr("Names of bones on the bodies"), {QKeySequence(Qt::SHIFT | Qt::Key_N)},
        [this] { stage_->set_names(!stage_->has_names()); });
    add("links", tr("Lines between bones that drive each other"), {QKeySequence(Qt::SHIFT | Qt::Key_L)},
        [this] { stage_->set_links(!stage_->has_links()); });
    add("source size", tr("Source as large as the target, for the eye alone"),
        {QKeySequence(Qt::SHIFT | Qt::Key_S)},
        [this] { stage_->set_source_sized(!stage_->is_source_sized()); });
    add("trail", tr("Trail of the selected bone"), {Qt::Key_T},
        [this] { stage_->set_trail(!stage_->has_trail()); });
    for (Station* station : list_)
        for (const StationAction& action : station->actions())
            add(action.name, action.text, action.keys, action.run);
    add("open take", tr("Open a motion file"), {QKeySequence::Open}, [this] { ask_open(false); });
    add("open rig", tr("Open a rig as the target"), {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O)},
        [this] { ask_open(true); });
    add("save", tr("Save all that is changed"), {QKeySequence::Save}, [this] { workspace_.save(); });
    add("unsaved", tr("See what is not saved"), {}, [this] { show_unsaved(); });
    add("go on from result", tr("Use the result as the take, for another target"),
        {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R)}, [this] { workspace_.use_result_as_take(); });
    add("export", tr("Export the result"), {QKeySequence(Qt::CTRL | Qt::Key_E)}, [this] { ask_export(); });
    add("limbering", tr("Play the limbering take on the target, or go back"), {},
        [this] { workspace_.is_limbering() ? workspace_.end_limbering() : workspace_.start_limbering(); });
    add("write vrm", tr("Write the target with its humanoid mapping (VRM 1.0)"), {},
        [this] { ask_standard(true); });
    add("write iso", tr("Write the target with joint names of ISO/IEC 19774-1"), {},
        [this] { ask_standard(false); });
    add("library", tr("Library or station"), {Qt::Key_D}, [this] { show_library(!is_library_shown_); });
    add("add target", tr("Take the target into the library"), {},
        [this] { change_library(ChangeLibrary::Kind::add, true, workspace_.target_index(), {}); });
    add("add take", tr("Take the take into the library"), {},
        [this] { change_library(ChangeLibrary::Kind::add, false, workspace_.take_index(), {}); });
    add("remove target", tr("Remove the target from the library, to its trash"), {},
        [this] { change_library(ChangeLibrary::Kind::remove, true, workspace_.target_index(), {}); });
    add("new library", tr("Make a new library in an empty folder"), {}, [this] { ask_library(true); });
    add("open library", tr("Open a library folder"), {}, [this] { ask_library(false); });
    add("find", tr("Find anything"), {QKeySequence(Qt::CTRL | Qt::Key_K)}, [this] { find_anything(); });
    add("look", tr("Ink or paper"), {QKeySequence(Qt::CTRL | Qt::Key_I)},
        [this] { set_look(is_paper_ ? "ink" : "paper"); });
    add("cancel", tr("Cancel what is going on, or let go of the selection"), {Qt::Key_Escape}, [this] {
        if (stage_->is_turning())
            stage_->cancel_turn();
        else if (workspace_.is_busy())
            workspace_.cancel();
        else
            stage_->select(true, -1);
    });
    for (size_t i = 0; i < list_.size(); ++i)
        add(QString("station %1").arg(i + 1), tr("Station: %1").arg(list_[i]->about().name),
            {QKeySequence(QString("F%1").arg(i + 1))},
            [this, station = list_[i]] { stations_->set_station(station->about().id); });
    auto* undo = undo_.createUndoAction(this, tr("Undo:"));
    undo->setObjectName("undo");
    undo->setShortcut(QKeySequence::Undo);
    auto* redo = undo_.createRedoAction(this, tr("Redo:"));
    redo->setObjectName("redo");
    redo->setShortcuts({QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), QKeySequence(Qt::CTRL | Qt::Key_Y)});
    addAction(undo);
    addAction(redo);
}

QWidget* MainWindow::scrolled(QWidget* panel) {
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(panel);
    return scroll;
}

QWidget* MainWindow::make_top() {
    auto* top = new QWidget(this);
    top->setObjectName("raised");
    top->setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(top);
    row->setContentsMargins(16, 6, 10, 5);
    auto* words = new QVBoxLayout;
    words->setSpacing(1);
    words->addWidget(sentence_);
    state_ = new StateLine(workspace_, top);
    words->addWidget(state_);
    connect(state_, &StateLine::wanted, this, [this](const QString& what) {
        if (what == "export")
            ask_export();
        else
            show_in(what, {});
    });
    row->addLayout(words, 1);
    find_button_ = bare(top);
    find_button_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    find_button_->setText(tr("find anything"));
    find_button_->setToolTip(tr("A command, bone, role, character or take (Ctrl+K)"));
    connect(find_button_, &QToolButton::clicked, this, &MainWindow::find_anything);
    library_button_ = bare(top);
    library_button_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    library_button_->setText(tr("library"));
    library_button_->setCheckable(true);
    library_button_->setToolTip(tr("Characters and takes of the library (D)"));
    connect(library_button_, &QToolButton::clicked, this, &MainWindow::show_library);
    unsaved_button_ = bare(top);
    unsaved_button_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    unsaved_button_->setToolTip(
        tr("What is changed and not saved: see it, save one or all (Ctrl+S saves all)"));
    unsaved_button_->setAccessibleName(tr("not saved"));
    unsaved_button_->setVisible(false);
    connect(unsaved_button_, &QToolButton::clicked, this, &MainWindow::show_unsaved);
    open_button_ = bare(top);
    open_button_->setToolTip(tr("Open a motion file (Ctrl+O); drop any file on the window"));
    connect(open_button_, &QToolButton::clicked, this, [this] { ask_open(false); });
    export_button_ = bare(top);
    export_button_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    export_button_->setText(tr("export"));
    export_button_->setToolTip(tr("Write the result as .bvh or .glb (Ctrl+E)"));
    connect(export_button_, &QToolButton::clicked, this, &MainWindow::ask_export);
    undo_button_ = bare(top);
    redo_button_ = bare(top);
    undo_button_->setDefaultAction(action("undo"));
    redo_button_->setDefaultAction(action("redo"));
    look_button_ = bare(top);
    look_button_->setToolTip(tr("Ink or paper (Ctrl+I)"));
    connect(look_button_, &QToolButton::clicked, action("look"), &QAction::trigger);
    for (QToolButton* button : {unsaved_button_, find_button_, library_button_, open_button_, export_button_,
                                undo_button_, redo_button_, look_button_})
        row->addWidget(button);
    return top;
}

QWidget* MainWindow::make_stage_bar() {
    auto* bar = new QWidget(this);
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(12, 2, 12, 2);
    row->setSpacing(8);
    view_label_ = new QLabel(bar);
    view_label_->setToolTip(
        tr("V steps the views, N changes the lens, B shows one body alone; drag turns, Shift+drag pans, the "
           "wheel zooms"));
    row->addWidget(view_label_);
    row->addStretch();
    auto* over = new QLabel(tr("over each other"), bar);
    auto* beside = new QLabel(tr("side by side"), bar);
    spread_ = new QSlider(Qt::Horizontal, bar);
    spread_->setRange(0, 100);
    spread_->setFixedWidth(130);
    spread_->setToolTip(tr("Spread: slides the bodies apart (S)"));
    spread_->setAccessibleName(tr("spread"));
    spread_->setFocusPolicy(Qt::TabFocus);
    connect(spread_, &QSlider::valueChanged, this, [this](int v) { stage_->set_spread(v / 100.0); });
    row->addWidget(over);
    row->addWidget(spread_);
    row->addWidget(beside);
    bar->setFixedHeight(stage_bar_px);
    return bar;
}

QWidget* MainWindow::make_stage_side() {
    auto* side = new QWidget(this);
    auto* rows = new QVBoxLayout(side);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    down_ = new QSplitter(Qt::Vertical, side);
    down_->setHandleWidth(3);
    down_->setChildrenCollapsible(false);
    down_->addWidget(stage_);
    auto* below = new QWidget(side);
    auto* below_rows = new QVBoxLayout(below);
    below_rows->setContentsMargins(0, 0, 0, 0);
    below_rows->setSpacing(0);
    below_rows->addWidget(make_stage_bar());
    sheets_ = new QStackedWidget(side);
    below_rows->addWidget(sheets_, 1);
    down_->addWidget(below);
    down_->setStretchFactor(0, 1);
    down_->setStretchFactor(1, 0);
    connect(down_, &QSplitter::splitterMoved, this, [this] {
        if (entered_ && entered_->sheet()) QSettings().setValue(sheet_key(*entered_), sheets_->height());
    });
    rows->addWidget(down_, 1);
    rows->addWidget(notice_);
    return side;
}

void MainWindow::set_look(const QString& name) {
    is_paper_ = name == "paper";
    apply_look(name);
    QSettings().setValue("look", name);
    refresh_icons();
    notice_->refresh();
    for (Station* station : list_) station->refresh_look();
    emit workspace_.choices_changed();
    for (QWidget* widget : findChildren<QWidget*>()) widget->update();
}

void MainWindow::refresh_icons() {
    find_button_->setIcon(icon("search"));
    library_button_->setIcon(icon("library"));
    open_button_->setIcon(icon("folder-open"));
    export_button_->setIcon(icon("file-down"));
    unsaved_button_->setIcon(icon("save"));
    look_button_->setIcon(icon("sun-moon"));
    action("undo")->setIcon(icon("undo-2"));
    action("redo")->setIcon(icon("redo-2"));
    undo_button_->setToolButtonStyle(Qt::ToolButtonIconOnly);
    redo_button_->setToolButtonStyle(Qt::ToolButtonIconOnly);
    transport_->refresh_icons();
}

void MainWindow::refresh_title() {
    const int unsaved = int(workspace_.unsaved().size());
    const int left = int(workspace_.left_unsaved().size());
    setWindowTitle(unsaved ? tr("Nimble Bone — not saved") : tr("Nimble Bone"));
    unsaved_button_->setVisible(unsaved + left > 0);
    unsaved_button_->setText(unsaved ? tr("%n not saved", nullptr, unsaved) : tr("left from last time"));
}

void MainWindow::show_unsaved() {
    auto* list = new UnsavedList(workspace_, this);
    list->setAttribute(Qt::WA_DeleteOnClose);
    const QPoint below =
        unsaved_button_->mapToGlobal(QPoint(unsaved_button_->width(), unsaved_button_->height() + 4));
    list->adjustSize();
    list->move(below - QPoint(list->width(), 0));
    list->show();
}

void MainWindow::refresh_view_label() {
    QString text = text_of(view_name(stage_->view())) +
                   (stage_->is_long_lens() ? tr(" · long lens") : tr(" · wide lens"));
    if (stage_->is_source_sized()) text += tr(" · source at the target's size");
    if (stage_->shown() == StageView::Shown::source) text += tr(" · source alone");
    if (stage_->shown() == StageView::Shown::target) text += tr(" · target alone");
    const LoadedPtr loaded = stage_->is_selected_in_target() ? workspace_.target() : workspace_.source();
    if (loaded && stage_->selected_joint() >= 0)
        text += " · " + QString::fromStdString(
                            loaded->file.character.rig.skeleton.names[size_t(stage_->selected_joint())]);
    view_label_->setText(text);
    const QSignalBlocker blocker(spread_);
    spread_->setValue(int(std::lround(100 * stage_->spread())));
}

void MainWindow::show_library(bool on) {
    is_library_shown_ = on;
    library_button_->setChecked(on);
    show_station();
    if (on) panels_->setCurrentWidget(library_);
}

void MainWindow::show_station() {
    Station& now = stations_->station();
    if (entered_ != &now) {
        if (entered_) entered_->leave();
        entered_ = &now;
        now.enter();
    }
    panels_->setCurrentWidget(pages_.at(&now));
    QWidget* sheet = now.sheet();
    if (sheet) sheets_->setCurrentWidget(sheet);
    sheets_->setVisible(sheet != nullptr);
    give_room();
    promise_->setText(QString("<b>%1</b><br><br>%2").arg(now.about().name, now.about().promise));
}

/// The panel and the sheet have the room they had when somebody last dragged them, the stage has the rest.
void MainWindow::give_room() {
    const int panel = std::max(least_panel_px, QSettings().value("panel width", least_panel_px).toInt());
    across_->setSizes({std::max(1, across_->width() - panel - across_->handleWidth()), panel});
    const Station& now = stations_->station();
    const int bar = stage_bar_px;
    const int sheet = now.sheet() ? QSettings().value(sheet_key(now), now.sheet_height()).toInt() : 0;
    down_->setSizes({std::max(1, down_->height() - bar - sheet - down_->handleWidth()), bar + sheet});
}

/// No larger than the screen lets a window with its frame be.
void MainWindow::fit_screen() {
    const QSize free = screen()->availableGeometry().size();
    const QSize frame(2, windowHandle() ? std::max(28, frameGeometry().height() - height()) : 28);
    const QSize most = (free - frame).expandedTo(minimumSize());
    if (width() > most.width() || height() > most.height()) resize(size().boundedTo(most));
}

void MainWindow::showEvent(QShowEvent* event) {
    QMainWindow::showEvent(event);
    if (std::exchange(was_shown_, true)) return;
    fit_screen();
    give_room();
}

void MainWindow::resizeEvent(QResizeEvent* event) {
    QMainWindow::resizeEvent(event);
    if (!was_shown_) return;
    if (!isMaximized() && !isFullScreen()) QSettings().setValue("window/size", size());
    QMetaObject::invokeMethod(this, &MainWindow::give_room, Qt::QueuedConnection);
}

void MainWindow::show_in(const QString& station, const QString& what) {
    stations_->set_station(station);
    stations_->station().go_to(what);
}

void MainWindow::ask_open(bool as_target) {
    const QString path = QFileDialog::getOpenFileName(
        this, as_target ? tr("Open a rig as the target") : tr("Open a take"), last_folder("open"),
        tr("Skeletons and motion (*.bvh *.glb *.gltf *.vrm *.fbx *.dae *.md5mesh *.x *.smd *.take.json);;"
           "All files (*)"));
    if (path.isEmpty()) return;
    remember_folder("open", path);
    workspace_.open_file(path, as_target);
}

void MainWindow::change_library(ChangeLibrary::Kind kind, bool is_character, int index, const QString& name) {
    const auto& list = is_character ? workspace_.targets() : workspace_.takes();
    if (index < 0 || index >= int(list.size())) return;
    const Choice choice = list[size_t(index)];
    if (choice.is_of_library == (kind == ChangeLibrary::Kind::add)) return;
    const int before = undo_.count();
    undo_.push(new ChangeLibrary(workspace_, kind, choice, is_character, name));
    if (undo_.count() == before && !undo_.canRedo()) return;
    if (kind == ChangeLibrary::Kind::remove)
        notice_->say(tr("%1 lies in the library's trash; Ctrl+Z puts it back.").arg(choice.name));
    if (kind == ChangeLibrary::Kind::add) notice_->say(tr("%1 is in the library now.").arg(choice.name));
}

/// What plays becomes the take: a trim, as Intake makes it.
void MainWindow::trim_to_range() {
    if (!workspace_.source() || playback_.is_whole() || workspace_.is_limbering())
        return notice_->say(tr("All of the take plays: set the range with [ and ] first."));
    const FileFrames frames = workspace_.take_frames();
    LoadOptions options = workspace_.intake(workspace_.key(false));
    options.trim_first = frames.to_file(playback_.first());
    options.trim_last = frames.to_file(playback_.last());
    if (options.trim_last >= workspace_.source()->file.file_frames) options.trim_last = 0;
    undo_.push(new ChangeIntake(workspace_, false, options, tr("trim to the range")));
}

void MainWindow::ask_library(bool is_new) {
    const QString folder = QFileDialog::getExistingDirectory(
        this, is_new ? tr("An empty folder for the new library") : tr("Open a library"));
    if (folder.isEmpty()) return;
    if (is_new)
        workspace_.create_library(folder, QFileInfo(folder).fileName());
    else
        workspace_.open_library(folder);
}

void MainWindow::ask_export() {
    if (!workspace_.result()) {
        notice_->say(tr("There is nothing to export yet: choose a take and a target."), true);
        return;
    }
    const int take = workspace_.take_index();
    const int target = workspace_.target_index();
    QString name = take >= 0 && target >= 0 ? workspace_.takes()[size_t(take)].name + "_" +
                                                  workspace_.targets()[size_t(target)].name
                                            : QString("result");
    name.replace(' ', '-').replace("'", "");
    const QString usual = QString::fromStdString(usual_ending(workspace_.target()->file.character));
    const QString bvh = tr("Motion (*.bvh)");
    const QString glb = tr("glTF (*.glb)");
    QString chosen = usual == ".bvh" ? bvh : glb;
    QString path = QFileDialog::getSaveFileName(
        this, tr("Export the result"), QDir(last_folder("export")).filePath(name.toLower() + usual),
        usual == ".bvh" ? bvh + ";;" + glb : glb + ";;" + bvh, &chosen);
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += chosen == bvh ? ".bvh" : ".glb";
    remember_folder("export", path);
    export_to(path);
}

QString MainWindow::export_remark() const {
    return playback_.is_whole() ? QString()
                                : tr("all %1 frames: the range that plays does not count, Ctrl+] trims to it")
                                      .arg(playback_.frames());
}

void MainWindow::export_to(const QString& path) {
    const LoadedPtr target = workspace_.target();
    const auto lost =
        target ? left_behind(path.toStdString(), target->file.character) : std::vector<std::string>();
    if (lost.empty()) return workspace_.export_result(path, export_remark());
    to_export_ = path;
    QStringList lines;
    for (const std::string& line : lost) lines << QString::fromStdString(line);
    notice_->say(tr("%1 would lose something: %2.").arg(QFileInfo(path).fileName(), lines.join("; ")), true,
                 {write_it});
}

void MainWindow::ask_standard(bool is_vrm) {
    const LoadedPtr target = workspace_.target();
    if (!target) return notice_->say(tr("There is no target to write."), true);
    const QString path = QFileDialog::getSaveFileName(
        this, is_vrm ? tr("Write with the humanoid mapping") : tr("Write with standard joint names"),
        QString::fromStdString(target->file.character.name).replace(' ', '-') + ".glb",
        is_vrm ? tr("glTF (*.glb *.vrm)") : tr("glTF (*.glb);;Motion (*.bvh)"));
    if (!path.isEmpty()) write_standard(path, is_vrm);
}

void MainWindow::write_standard(const QString& path, bool is_vrm) {
    const LoadedPtr target = workspace_.target();
    try {
        if (is_vrm)
            write_vrm(path.toStdString(), target->file.character, {.name = target->file.character.name});
        else
            write_with_iso_names(path.toStdString(), target->file.character);
        notice_->say(tr("Written: %1").arg(path));
    } catch (const FileError& error) {
        notice_->say(QString::fromStdString(error.what()), true);
    }
}

void MainWindow::find_anything() {
    std::vector<Findable> all;
    for (QAction* a : actions()) {
        QString text = a->text();
        if (a->isEnabled())
            all.push_back({tr("command"), text, a->shortcut().toString(QKeySequence::NativeText),
                           [a] { a->trigger(); }});
    }
    for (size_t i = 0; i < workspace_.targets().size(); ++i)
        all.push_back({tr("character"), workspace_.targets()[i].name, {}, [this, i] {
                           workspace_.choose_target(int(i));
                       }});
    for (size_t i = 0; i < workspace_.takes().size(); ++i)
        all.push_back(
            {tr("take"), workspace_.takes()[i].name, {}, [this, i] { workspace_.choose_take(int(i)); }});
    for (const bool in_target : {true, false}) {
        const LoadedPtr loaded = in_target ? workspace_.target() : workspace_.source();
        if (!loaded) continue;
        const Character& c = loaded->file.character;
        const auto go = [this, in_target](int joint) {
            return [this, in_target, joint] {
                stage_->select(in_target, joint);
                stage_->frame_selection();
            };
        };
        for (const RoleFill& fill : c.roles.fills)
            all.push_back({tr("role"), QString::fromStdString(fill.role), QString::fromStdString(c.name),
                           go(fill.joint)});
        for (int j = 0; j < c.rig.skeleton.size(); ++j)
            all.push_back({tr("bone"), QString::fromStdString(c.rig.skeleton.names[size_t(j)]),
                           QString::fromStdString(c.name), go(j)});
    }
    auto* finder = new Finder(std::move(all), this);
    finder->setAttribute(Qt::WA_DeleteOnClose);
    finder->move(mapToGlobal(QPoint(width() / 2 - finder->width() / 2, 56)));
    finder->show();
    finder->field()->setFocus();
}

void MainWindow::open_files(const QStringList& paths) {
    workspace_.open_files(paths);
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    // What has the keyboard keeps the keys that work it; everywhere else they work the window.
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        const bool is_control = qobject_cast<QAbstractButton*>(watched) ||
                                qobject_cast<QComboBox*>(watched) || qobject_cast<QAbstractSlider*>(watched);
        const bool is_own_key = pressed->key() == Qt::Key_Space || pressed->key() == Qt::Key_Home ||
                                pressed->key() == Qt::Key_End || pressed->key() == Qt::Key_Left ||
                                pressed->key() == Qt::Key_Right;
        if (is_control && is_own_key && pressed->modifiers() == Qt::NoModifier) {
            event->accept();
            return true;
        }
    }
    // While H is held, the result before the last change is shown; fields keep their letters.
    if (event->type() == QEvent::KeyPress || event->type() == QEvent::KeyRelease) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        const QWidget* with_keyboard = qobject_cast<QWidget*>(watched);
        if (!with_keyboard) with_keyboard = QApplication::focusWidget();
        const bool is_typing = qobject_cast<const QLineEdit*>(with_keyboard) ||
                               qobject_cast<const QAbstractSpinBox*>(with_keyboard) ||
                               qobject_cast<const QAbstractItemView*>(with_keyboard);
        if (pressed->key() == Qt::Key_H && pressed->modifiers() == Qt::NoModifier && !is_typing) {
            if (!pressed->isAutoRepeat()) workspace_.show_before(event->type() == QEvent::KeyPress);
            return true;
        }
    }
    return QMainWindow::eventFilter(watched, event);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) paths << url.toLocalFile();
    open_files(paths);
    event->acceptProposedAction();
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (workspace_.has_unsaved_changes() && !close_anyway_) {
        QStringList names;
        for (const Drafts::Unsaved& unsaved : workspace_.unsaved())
            names << QString::fromStdString(unsaved.name);
        notice_->say(tr("There are changes that are not saved: %1.").arg(names.join(", ")), true,
                     {save_first, leave_unsaved});
        event->ignore();
        return;
    }
    event->accept();
}

}  // namespace nb
