#include "app/stations/transfer/events_page.hpp"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/table.hpp"
#include "app/stations/transfer/event_desk.hpp"

namespace nb {

EventsPage::EventsPage(EventDesk& desk, Playback& playback, QWidget* parent)
    : QWidget(parent), desk_(desk), playback_(playback) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 0, 12, 4);
    column->setSpacing(4);
    column->addLayout(make_head());
    table_ = plain_table({tr("frame"), tr("what"), tr("owner"), tr("size"), tr("said of it")}, 1,
                         tr("events"), this);
    column->addWidget(table_, 1);
    column->addLayout(make_foot());
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        const auto chosen = table_->selectedItems();
        if (chosen.isEmpty()) return;
        const Line line = lines_[size_t(chosen.front()->row())];
        if (line.event >= 0) return desk_.go_to(line.event);
        playback_.play(false);
        playback_.go_to(line.frame);
        note_->setText(line.cells[4]);
    });
    connect(&desk_, &EventDesk::changed, this, &EventsPage::follow);
    connect(&desk_, &EventDesk::current_changed, this, &EventsPage::refresh_current);
    connect(&playback_, &Playback::frame_changed, this, [this] {
        if (isVisible() && !playback_.is_playing()) refresh_current();
    });
}

QLayout* EventsPage::make_head() {
    auto* head = new Flow(4);
    const std::array<QString, 5> tips{tr("All events and marked frames"), tr("Those nobody has judged yet"),
                                      tr("Those that may stay as they are"), tr("Those that were seen to"),
                                      tr("Frames somebody has marked")};
    for (size_t i = 0; i < kinds_.size(); ++i) {
        kinds_[i] = word_button({}, tips[i], this, true);
        connect(kinds_[i], &QToolButton::clicked, this, [this, i] {
            kind_ = Kind(int(i));
            refresh();
        });
        head->addWidget(kinds_[i]);
    }
    head->add_gap();
    auto* before = word_button(tr("before"), tr("To the open event before (Shift+E)"), this);
    auto* next = word_button(tr("next"), tr("To the next open event (E)"), this);
    connect(before, &QToolButton::clicked, this, [this] { desk_.step(-1); });
    connect(next, &QToolButton::clicked, this, [this] { desk_.step(1); });
    head->addWidget(before);
    head->addWidget(next);
    order_ = new QComboBox(this);
    order_->addItems({tr("worst first"), tr("by frame"), tr("by owner")});
    order_->setAccessibleName(tr("order of events"));
    order_->setFocusPolicy(Qt::TabFocus);
    connect(order_, &QComboBox::activated, this, &EventsPage::refresh);
    head->addWidget(order_);
    return head;
}

QLayout* EventsPage::make_foot() {
    auto* foot = new Flow(4);
    note_ = new QLineEdit(this);
    note_->setPlaceholderText(tr("a note"));
    note_->setAccessibleName(tr("note"));
    when_scaled(note_, [this] { note_->setMinimumWidth(scaled(140)); });
    foot->addWidget(note_);
    verdicts_[0] = word_button(tr("accept"), tr("It may stay as it is; the note goes with it (A)"), this);
    verdicts_[1] = word_button(tr("done"), tr("It was seen to; it opens again when it grows (X)"), this);
    verdicts_[2] = word_button(tr("open again"), tr("Takes back what was said of it"), this);
    for (int i = 0; i < 3; ++i) {
        connect(verdicts_[size_t(i)], &QToolButton::clicked, this, [this, i] { judge(i); });
        foot->addWidget(verdicts_[size_t(i)]);
    }
    mark_ = word_button({}, {}, this);
    connect(mark_, &QToolButton::clicked, this, &EventsPage::mark_frame);
    foot->addWidget(mark_);
    remedies_ = new QLabel(this);
    remedies_->setTextFormat(Qt::RichText);
    connect(remedies_, &QLabel::linkActivated, this,
            [this](const QString& link) { desk_.remedy(desk_.current(), link.toInt()); });
    foot->addWidget(remedies_);
    return foot;
}

void EventsPage::judge(int which) {
    if (desk_.current() < 0) return;
    if (which == 2)
        desk_.judge_no_more(desk_.current());
    else
        desk_.judge(desk_.current(), which == 0 ? JudgedEvent::State::accepted : JudgedEvent::State::done,
                    note_->text());
}

void EventsPage::mark_frame() {
    const auto marks = desk_.marks();
    const int now = playback_.frame();
    const bool is_marked =
        std::any_of(marks.begin(), marks.end(), [&](const MarkedFrame& mark) { return mark.frame == now; });
    if (is_marked)
        desk_.unmark_frame(now);
    else
        desk_.mark_frame(now, isVisible() ? note_->text() : QString());
}

void EventsPage::follow() {
    is_stale_ = true;
    if (isVisible()) refresh();
}

void EventsPage::showEvent(QShowEvent*) {
    if (is_stale_) refresh();
}

void EventsPage::refresh() {
    is_stale_ = false;
    std::vector<Line> all;
    const auto& events = desk_.events();
    for (int i = 0; i < int(events.size()); ++i) {
        const ReviewEvent& event = events[size_t(i)];
        const JudgedEvent* said = desk_.said_of(i);
        Line line;
        line.event = i;
        line.frame = event.worst_frame;
        line.kind = !said                                         ? Kind::open
                    : said->state == JudgedEvent::State::accepted ? Kind::accepted
                                                                  : Kind::done;
        QString words = said ? text_of(state_name(said->state)) : QString();
        if (said && !said->note.empty()) words = tr("%1: %2").arg(words, QString::fromStdString(said->note));
        line.cells = {
            QString::number(event.worst_frame), QString::fromStdString(event.text),
            event.setting.empty() ? text_of(owner_name(event.owner)) : QString::fromStdString(event.setting),
            tr("%1 %2").arg(event.size, 0, 'f', 1).arg(QString::fromStdString(event.unit)), words};
        all.push_back(std::move(line));
    }
    for (const MarkedFrame& mark : desk_.marks()) {
        Line line;
        line.frame = mark.frame;
        line.kind = Kind::marked;
        line.cells = {
            QString::number(mark.frame), tr("marked"), tr("you"), {}, QString::fromStdString(mark.note)};
        all.push_back(std::move(line));
    }
    const std::array<QString, 5> words{tr("all %1"), tr("open %1"), tr("accepted %1"), tr("done %1"),
                                       tr("marked %1")};
    for (size_t i = 0; i < kinds_.size(); ++i) {
        const auto count = std::count_if(all.begin(), all.end(), [&](const Line& line) {
            return Kind(int(i)) == Kind::all || line.kind == Kind(int(i));
        });
        kinds_[i]->setText(words[i].arg(count));
        kinds_[i]->setChecked(Kind(int(i)) == kind_);
    }
    lines_ = std::move(all);
    if (kind_ != Kind::all) std::erase_if(lines_, [&](const Line& line) { return line.kind != kind_; });
    if (order_->currentIndex() == 1)
        std::stable_sort(lines_.begin(), lines_.end(),
                         [](const Line& a, const Line& b) { return a.frame < b.frame; });
    if (order_->currentIndex() == 2)
        std::stable_sort(lines_.begin(), lines_.end(),
                         [](const Line& a, const Line& b) { return a.cells[2] < b.cells[2]; });
    const QSignalBlocker blocker(table_);
    fit_rows(*table_);
    table_->setRowCount(int(lines_.size()));
    for (int row = 0; row < int(lines_.size()); ++row)
        for (int i = 0; i < 5; ++i) {
            const Line& line = lines_[size_t(row)];
            auto* item = new QTableWidgetItem(line.cells[size_t(i)]);
            item->setToolTip(line.cells[size_t(i)]);
            const bool is_settled = line.kind == Kind::accepted || line.kind == Kind::done;
            item->setForeground(is_settled || i == 2 ? look().dim : look().text);
            table_->setItem(row, i, item);
        }
    refresh_current();
}

void EventsPage::refresh_current() {
    const int now = desk_.current();
    const JudgedEvent* said = desk_.said_of(now);
    const QSignalBlocker blocker(table_);
    table_->clearSelection();
    for (int row = 0; row < int(lines_.size()); ++row)
        if (now >= 0 && lines_[size_t(row)].event == now) {
            table_->selectRow(row);
            table_->scrollToItem(table_->item(row, 0));
        }
    for (int i = 0; i < 3; ++i) verdicts_[size_t(i)]->setEnabled(now >= 0 && (i < 2 || said));
    if (said && !note_->hasFocus()) note_->setText(QString::fromStdString(said->note));
    if (now >= 0 && !said && !note_->hasFocus()) note_->clear();
    const auto marks = desk_.marks();
    const bool is_marked = std::any_of(
        marks.begin(), marks.end(), [&](const MarkedFrame& mark) { return mark.frame == playback_.frame(); });
    mark_->setText(is_marked ? tr("unmark frame %1").arg(playback_.frame())
                             : tr("mark frame %1").arg(playback_.frame()));
    mark_->setToolTip(tr("A frame of your own to come back to, with the note (K)"));
    QStringList links;
    if (now >= 0) {
        const auto& remedies = desk_.events()[size_t(now)].remedies;
        for (size_t i = 0; i < remedies.size(); ++i)
            links << link_to(QString::number(i), QString::fromStdString(remedies[i].what), look().text);
    }
    remedies_->setText(links.join(" · "));
}

}  // namespace nb
