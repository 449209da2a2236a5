#include "app/stations/hand_over/hand_over_station.hpp"

#include <QStackedWidget>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/stations/hand_over/controls_page.hpp"
#include "app/stations/hand_over/hand_over_panel.hpp"
#include "app/stations/hand_over/hand_over_sheet.hpp"
#include "app/stations/hand_over/join_page.hpp"
#include "app/work/controls_desk.hpp"
#include "app/work/hand_over_desk.hpp"
#include "app/work/join_desk.hpp"
#include "app/work/shown_pair.hpp"

namespace nb {

namespace {

constexpr int sheet_px = 268, joining_px = 300, controls_px = 330;

}  // namespace

HandOverStation::HandOverStation(const StationContext& c)
    : Station({"hand over", tr("Hand over"),
               tr("An order says what leaves, how, and under which names; every file is listed before it is "
                  "written and read back after."),
               1.5},
              c.window),
      workspace_(c.workspace),
      desk_(new HandOverDesk(c.workspace, c.undo, this)),
      joins_(new JoinDesk(c.workspace, c.undo, this)),
      sheet_(new HandOverSheet(*desk_, c.window)),
      join_page_(new JoinPage(*joins_, c.window)),
      controls_(new ControlsDesk(c.workspace, c.undo, this)),
      controls_page_(new ControlsPage(c.workspace, *controls_, c.window)),
      panel_(new HandOverPanel(c.workspace, c.playback, *desk_, c.window)) {
    show_in_window(panel_, make_pages(c.window), sheet_px);
    connect(desk_, &HandOverDesk::said, this, &Station::said);
    connect(desk_, &HandOverDesk::failed, this, &Station::failed);
    connect(joins_, &JoinDesk::said, this, &Station::said);
    connect(joins_, &JoinDesk::failed, this, &Station::failed);
    connect(controls_, &ControlsDesk::said, this, &Station::said);
    connect(controls_, &ControlsDesk::failed, this, &Station::failed);
}

QWidget* HandOverStation::make_pages(QWidget* window) {
    auto* whole = new QWidget(window);
    auto* column = new QVBoxLayout(whole);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* head = new Flow(4);
    head->setContentsMargins(12, 6, 12, 2);
    const std::array<std::pair<QString, QString>, 3> words{
        {{tr("files"), tr("The files of the order, a row each")},
         {tr("joining"), tr("Clips of one body in a row, made one take")},
         {tr("controls"), tr("An animator's control rig for this body: which node takes what")}}};
    for (size_t i = 0; i < words.size(); ++i) {
        page_words_[i] = word_button(words[i].first, words[i].second, whole, true);
        connect(page_words_[i], &QToolButton::clicked, this, [this, i] { show_page(Page(int(i))); });
        head->addWidget(page_words_[i]);
    }
    column->addLayout(head);
    pages_ = new QStackedWidget(whole);
    pages_->addWidget(sheet_);
    pages_->addWidget(join_page_);
    pages_->addWidget(controls_page_);
    column->addWidget(pages_, 1);
    page_words_[0]->setChecked(true);
    return whole;
}

void HandOverStation::show_page(Page page) {
    pages_->setCurrentIndex(int(page));
    for (size_t i = 0; i < page_words_.size(); ++i) page_words_[i]->setChecked(int(i) == int(page));
    switch (page) {
        case Page::files:
            return turn_page("", sheet_px);
        case Page::joining:
            return turn_page("/joining", joining_px);
        case Page::controls:
            return turn_page("/controls", controls_px);
    }
}

std::vector<StationAction> HandOverStation::actions() {
    return {
        {"order this pair",
         tr("Put the shown take on the shown target into the order"),
         {},
         [this] {
             if (const auto pair = shown_pair(workspace_)) desk_->add_pairs({*pair});
         }},
        {"hand over now", tr("Write every file of the order"), {}, [this] { desk_->hand_over(); }},
        {"keep order", tr("Keep the order with the library"), {}, [this] { desk_->keep(); }},
        {"join", tr("Join clips to one take"), {}, [this] { show_page(Page::joining); }},
        {"put in the row",
         tr("Put the shown take in the row of clips"),
         {},
         [this] {
             show_page(Page::joining);
             joins_->add_shown();
         }},
        {"controls",
         tr("Set up an animator's controls for the shown target"),
         {},
         [this] { show_page(Page::controls); }},
    };
}

void HandOverStation::refresh_look() {
    sheet_->refresh();
    join_page_->refresh();
    controls_page_->refresh();
}

}  // namespace nb
