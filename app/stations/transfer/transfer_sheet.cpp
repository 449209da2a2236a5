#include "app/stations/transfer/transfer_sheet.hpp"

#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/stations/transfer/contact_lanes.hpp"
#include "app/stations/transfer/curves_view.hpp"
#include "app/stations/transfer/error_strip.hpp"
#include "app/stations/transfer/event_desk.hpp"
#include "app/stations/transfer/events_page.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"

namespace nb {

TransferSheet::TransferSheet(Workspace& workspace, Playback& playback, StageView& stage, QUndoStack& undo,
                             EventDesk& desk, QWidget* parent)
    : QWidget(parent),
      workspace_(workspace),
      playback_(playback),
      strip_(new ErrorStrip(workspace, playback, this)),
      curves_(new CurvesView(workspace, playback, stage, this)),
      lanes_(new ContactLanes(workspace, playback, undo, this)),
      events_(new EventsPage(desk, playback, this)),
      desk_(desk) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    rows->addLayout(make_head());
    rows->addWidget(strip_, 1);
    rows->addWidget(curves_, 1);
    rows->addWidget(lanes_);
    rows->addWidget(events_, 1);
    show_page(Page::strip);
    refresh_count();
    connect(&desk_, &EventDesk::changed, this, &TransferSheet::refresh_count);
    connect(strip_, &ErrorStrip::explained, this, [this](const QString& line) {
        if (!line.isEmpty()) emit said(line);
    });
    connect(lanes_, &ContactLanes::explained, this, &TransferSheet::said);
}

QLayout* TransferSheet::make_head() {
    auto* head = new Flow(4);
    head->setContentsMargins(12, 6, 12, 2);
    const std::array<std::pair<QString, QString>, 3> pages{
        {{tr("strip"), tr("A measure, frame by frame")},
         {tr("curves"), tr("The selected bone over the take: source and target over each other (C)")},
         {tr("events"), tr("Every place where it falls short, in a list (E: the next one)")}}};
    for (size_t i = 0; i < pages.size(); ++i) {
        pages_[i] = word_button(pages[i].first, pages[i].second, this, true);
        connect(pages_[i], &QToolButton::clicked, this, [this, i] { show_page(Page(int(i))); });
        head->addWidget(pages_[i]);
    }
    measure_ = new QComboBox(this);
    measure_->setAccessibleName(tr("measure"));
    measure_->setToolTip(tr("Which measure the strip shows"));
    measure_->setFocusPolicy(Qt::TabFocus);
    for (const ReviewMeasure m :
         {ReviewMeasure::slide, ReviewMeasure::height, ReviewMeasure::below, ReviewMeasure::tip,
          ReviewMeasure::direction, ReviewMeasure::bend, ReviewMeasure::wring, ReviewMeasure::turn_change,
          ReviewMeasure::gap, ReviewMeasure::depth, ReviewMeasure::held, ReviewMeasure::head,
          ReviewMeasure::jitter, ReviewMeasure::range, ReviewMeasure::source_slide})
        measure_->addItem(QString("%1, %2").arg(measure_name(m), measure_unit(m)), int(m));
    connect(measure_, &QComboBox::currentIndexChanged, this,
            [this] { strip_->set_measure(ReviewMeasure(measure_->currentData().toInt())); });
    quantity_ = curves_->quantity_choice(this);
    worst_ = new QToolButton(this);
    worst_->setText(tr("next worst"));
    worst_->setToolTip(tr("Goes to the worst frame, then the next (W)"));
    worst_->setFocusPolicy(Qt::TabFocus);
    connect(worst_, &QToolButton::clicked, this, &TransferSheet::go_to_next_worst);
    build_hands();
    hint_ = new QLabel(this);
    hint_->setProperty("dim", true);
    hint_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    head->addWidget(measure_);
    head->addWidget(worst_);
    head->addWidget(quantity_);
    head->addWidget(hands_);
    head->addWidget(hint_);
    return head;
}

namespace {

struct HandsChoice {
    HandsDo what;
    const char *name, *does;
};
constexpr std::array<HandsChoice, 4> hands_choices{{
    {HandsDo::as_found, QT_TR_NOOP("hands as found"),
     QT_TR_NOOP("As found: what they touch in the take they touch on the target")},
    {HandsDo::free, QT_TR_NOOP("hands free"), QT_TR_NOOP("Free: they go where angles put them")},
    {HandsDo::hold_things, QT_TR_NOOP("hands on things"),
     QT_TR_NOOP("On things: they hold what they hold, and touch nothing else")},
    {HandsDo::touch_body, QT_TR_NOOP("hands on the body"),
     QT_TR_NOOP("On the body: they lie where they lie on it, and hold nothing")},
}};

}  // namespace

void TransferSheet::build_hands() {
    hands_ = new QToolButton(this);
    hands_->setAccessibleName(tr("what the hands do"));
    hands_->setToolTip(tr("What the hands do in this take, for every target; the lanes below show when"));
    hands_->setFocusPolicy(Qt::TabFocus);
    hands_->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(hands_);
    for (const HandsChoice& choice : hands_choices)
        connect(menu->addAction(tr(choice.does)), &QAction::triggered, this,
                [this, what = choice.what] { lanes_->set_hands(what); });
    hands_->setMenu(menu);
    connect(&workspace_, &Workspace::result_changed, this, &TransferSheet::refresh_hands);
    refresh_hands();
}

void TransferSheet::refresh_hands() {
    const auto source = workspace_.source();
    const bool has_hands = source && source->file.take && !source->file.character.roles.is_four_legged();
    hands_->setVisible(has_hands && page_ == Page::strip);
    if (!has_hands) return;
    const auto now = hands_do(source->file.character, workspace_.contacts());
    hands_->setText(tr("hands by hand"));
    for (const HandsChoice& choice : hands_choices)
        if (choice.what == now) hands_->setText(tr(choice.name));
}

void TransferSheet::show_page(Page page) {
    page_ = page;
    for (size_t i = 0; i < pages_.size(); ++i) pages_[i]->setChecked(int(i) == int(page));
    curves_->setVisible(page == Page::curves);
    quantity_->setVisible(page == Page::curves);
    strip_->setVisible(page == Page::strip);
    measure_->setVisible(page == Page::strip);
    worst_->setVisible(page == Page::strip);
    lanes_->setVisible(page != Page::events);
    refresh_hands();
    events_->setVisible(page == Page::events);
    hint_->setText(page == Page::curves  ? tr("of the selected bone · wheel: zoom, click: go there")
                   : page == Page::strip ? tr("a bar a frame · click: go there, and why")
                                         : tr("click: go there · accept it or say that it is done"));
    emit page_shown(page);
}

void TransferSheet::refresh_count() {
    const int open = desk_.open_count();
    pages_[2]->setText(open > 0 ? tr("events · %1 open").arg(open) : tr("events"));
}

void TransferSheet::go_to_next_worst() {
    go_to_worst(strip_->measure());
}

void TransferSheet::go_to_worst(ReviewMeasure measure) {
    show_page(Page::strip);
    if (measure != strip_->measure()) {
        measure_->setCurrentIndex(measure_->findData(int(measure)));
        playback_.play(false);
    }
    const int frame = strip_->next_worst();
    if (frame < 0) return;
    playback_.play(false);
    playback_.go_to(frame);
    const auto review = workspace_.review();
    const ReviewSeries* worst = nullptr;
    for (const ReviewSeries& series : review->series)
        if (series.measure == measure &&
            (!worst || series.values[size_t(frame)] > worst->values[size_t(frame)]))
            worst = &series;
    if (worst) emit said(strip_->why(QString::fromStdString(worst->row), frame));
}

void TransferSheet::choose_contact(const QString& foot, int frame) {
    if (page_ == Page::events) show_page(Page::strip);
    lanes_->choose_at(foot, frame);
    lanes_->setFocus();
}

void TransferSheet::refresh_look() {
    curves_->refresh_look();
    events_->refresh_look();
}

}  // namespace nb
