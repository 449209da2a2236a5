// How the window is laid out: stage and sheet, panels, and the room each has.
#include <QLabel>
#include <QResizeEvent>
#include <QScrollArea>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QVBoxLayout>
#include <utility>

#include "app/change/change_page.hpp"
#include "app/coverage/coverage_page.hpp"
#include "app/dock/library_panel.hpp"
#include "app/look/look.hpp"
#include "app/stage/stage_view.hpp"
#include "app/window/handbook.hpp"
#include "app/window/main_window.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/stage_bar.hpp"
#include "app/window/station_line.hpp"

namespace nb {

namespace {

QString sheet_key(const Station& station) {
    return "sheet height/" + station.about().id + station.sheet_page();
}

}  // namespace

QWidget* MainWindow::make_panels() {
    panels_ = new QStackedWidget(this);
    panels_->setObjectName("raised");
    promise_ = new QLabel(this);
    promise_->setWordWrap(true);
    promise_->setMargin(16);
    promise_->setAlignment(Qt::AlignTop);
    panels_->addWidget(promise_);
    library_ = new LibraryPanel(workspace_, characters_, this);
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
    return panels_;
}

QWidget* MainWindow::make_coverage() {
    coverage_ = new CoveragePage(workspace_, undo_, this);
    connect(coverage_, &CoveragePage::left, this, [this] { show_coverage(false); });
    connect(coverage_, &CoveragePage::opened, this, &MainWindow::open_pair);
    connect(coverage_, &CoveragePage::said, this, [this](const QString& line) { notice_->say(line); });
    connect(coverage_, &CoveragePage::failed, this,
            [this](const QString& line) { notice_->say(line, true); });
    return coverage_;
}

QWidget* MainWindow::make_change() {
    change_ = new ChangePage(characters_, this);
    connect(&characters_, &CharacterDesk::looked_at, this, [this] {
        if (characters_.looked())
            show_page(change_);
        else if (is_change_shown())
            show_page(nullptr);
    });
    connect(&characters_, &CharacterDesk::progressed, notice_, &NoticeBar::show_progress);
    connect(notice_, &NoticeBar::cancel_wanted, &characters_, &CharacterDesk::stop_looking);
    connect(&characters_, &CharacterDesk::said, this, [this](const QString& line) { notice_->say(line); });
    connect(&characters_, &CharacterDesk::failed, this,
            [this](const QString& line) { notice_->say(line, true); });
    return change_;
}

QWidget* MainWindow::scrolled(QWidget* panel) {
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setFocusPolicy(Qt::NoFocus);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(panel);
    return scroll;
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
    stage_bar_ = new StageBar(workspace_, *stage_, below);
    below_rows->addWidget(stage_bar_);
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

/// Panel, handbook and sheet have the room they had when somebody last dragged them, the stage has the rest.
void MainWindow::give_room() {
    const QSettings kept;
    const int least = scaled(least_panel_px);
    const int panel = std::max(least, kept.value("panel width", least).toInt());
    const int book = handbook_->isHidden() ? 0 : std::max(least, kept.value("handbook width", least).toInt());
    const int handles = across_->handleWidth() * (book ? 2 : 1);
    // Where there is no room for both, the handbook stands in the panel's place.
    const int least_stage = across_->widget(0)->minimumSizeHint().width();
    panels_->setHidden(is_page_shown() || (book && across_->width() - panel - book - handles < least_stage));
    across_->setSizes({std::max(1, across_->width() - panel - book - handles), book, panel});
    const Station& now = stations_->station();
    const int bar = stage_bar_->height();
    const int sheet = now.sheet() ? kept.value(sheet_key(now), scaled(now.sheet_height())).toInt() : 0;
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

}  // namespace nb
