#include "app/coverage/coverage_page.hpp"

#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QProgressBar>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"

namespace nb {

namespace {

constexpr size_t most_batches = 4;

/// What the tones, lines and rings of cells mean, drawn as they are.
class Legend : public QWidget {
  public:
    explicit Legend(QWidget* parent) : QWidget(parent) {
        when_scaled(this, [this] {
            setFixedSize(
                scaled(150) +
                    QFontMetrics(text_font(11))
                        .horizontalAdvance(tr("by its bar: well inside … twice it outside stale accepted")) +
                    scaled(80),
                scaled(22));
            update();
        });
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setFont(text_font(11));
        const int side = scaled(12), top = (height() - side) / 2;
        int x = 0;
        const auto say = [&](const QString& text) {
            painter.setPen(look().dim);
            const int wide = painter.fontMetrics().horizontalAdvance(text);
            painter.drawText(QRect(x, 0, wide, height()), Qt::AlignVCenter, text);
            x += wide + scaled(14);
        };
        for (int i = 0; i < 6; ++i, x += side) painter.fillRect(x, top, side, side, look().measure(i / 5.0));
        x += scaled(6);
        say(tr("by its bar: well inside … twice it"));
        QRect box(x, top, side * 2, side);
        painter.fillRect(box, look().measure(0.8));
        painter.setBrush(look().text);
        painter.setPen(Qt::NoPen);
        painter.drawPolygon(QPolygonF{QPointF(box.topLeft()), QPointF(box.left() + side * 0.7, box.top()),
                                      QPointF(box.left(), box.top() + side * 0.7)});
        x += side * 2 + scaled(6);
        say(tr("outside"));
        box.moveLeft(x);
        painter.fillRect(box, look().measure(0.4));
        painter.fillRect(box, QBrush(look().ground, Qt::BDiagPattern));
        x += side * 2 + scaled(6);
        say(tr("stale"));
        box.moveLeft(x);
        painter.fillRect(box, look().measure(0.2));
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(look().text, 1.4));
        painter.drawRoundedRect(QRectF(box).adjusted(1.5, 1.5, -1.5, -1.5), 4, 4);
        x += side * 2 + scaled(6);
        say(tr("accepted"));
    }
};

QComboBox* choice(const QString& name, const QStringList& items, QWidget* parent) {
    auto* box = new QComboBox(parent);
    box->setAccessibleName(name);
    box->addItems(items);
    box->setFocusPolicy(Qt::TabFocus);
    return box;
}

}  // namespace

CoveragePage::CoveragePage(Workspace& workspace, QUndoStack& undo, QWidget* parent)
    : QWidget(parent), desk_(workspace, undo) {
    setObjectName("page");
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(14, 10, 14, 10);
    rows->setSpacing(8);
    rows->addWidget(make_top());
    table_ = new CoverageTable(this);
    rows->addWidget(table_, 1);
    rows->addWidget(make_cell_bar());
    rows->addWidget(make_batch_bar());
    connect(filter_, &QLineEdit::textChanged, table_, &CoverageTable::set_filter);
    connect(table_, &CoverageTable::picked_changed, this, &CoveragePage::refresh_cell);
    connect(table_, &CoverageTable::hovered, this, [this](bool on, size_t take, size_t character) {
        hovered_ = on ? std::optional(CoverageTable::Cell{take, character}) : std::nullopt;
        refresh_cell();
    });
    connect(table_, &CoverageTable::opened, this, [this](size_t take, size_t character) {
        const OrderedPair pair = CoverageDesk::pair_at(*shown_, take, character);
        emit opened(QString::fromStdString(pair.take), QString::fromStdString(pair.character),
                    shown_->at(take, character).worst_frame);
    });
    connect(&desk_, &CoverageDesk::table_changed, this, &CoveragePage::refresh_table);
    connect(&desk_, &CoverageDesk::words_found, this, &CoveragePage::refresh_cell);
    connect(&desk_, &CoverageDesk::batches_changed, this, &CoveragePage::refresh_batches);
    connect(&desk_, &CoverageDesk::said, this, &CoveragePage::said);
    connect(&desk_, &CoverageDesk::failed, this, &CoveragePage::failed);
    refresh_table();
    refresh_batches();
}

void CoveragePage::set_shown(bool on) {
    desk_.set_shown(on);
    if (on) table_->setFocus();
}

QWidget* CoveragePage::make_top() {
    auto* top = new QWidget(this);
    auto* column = new QVBoxLayout(top);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* first = new QHBoxLayout;
    auto* back = word_button(tr("back"), tr("Back to the stage (Shift+D)"), top);
    connect(back, &QToolButton::clicked, this, &CoveragePage::left);
    auto* heading = new QLabel(tr("<b>Coverage</b> · which take works on whom"), top);
    count_ = dim_label({}, top);
    count_->setWordWrap(false);
    auto* write =
        word_button(tr("write the table"), tr("As a page, a table or a document: .html, .csv, .json"), top);
    connect(write, &QToolButton::clicked, this, &CoveragePage::write_table);
    first->addWidget(back);
    first->addWidget(heading);
    first->addSpacing(12);
    first->addWidget(count_, 1);
    first->addWidget(write);
    column->addLayout(first);
    auto* second = new Flow(8);
    filter_ = new QLineEdit(top);
    filter_->setPlaceholderText(tr("takes or characters with these words or tags"));
    filter_->setAccessibleName(tr("filter the table"));
    filter_->setClearButtonEnabled(true);
    when_scaled(filter_, [this] { filter_->setFixedWidth(scaled(290)); });
    auto* only = choice(tr("which cells"),
                        {tr("all"), tr("outside"), tr("stale"), tr("failed"), tr("not tried")}, top);
    auto* sort = choice(tr("order of the table"), {tr("by name"), tr("worst first")}, top);
    auto* group = choice(tr("groups of takes"),
                         {tr("no groups"), tr("by body"), tr("by tags"), tr("by what happens")}, top);
    connect(only, &QComboBox::activated, this, [this](int at) { table_->set_only(CoverageTable::Only(at)); });
    connect(sort, &QComboBox::activated, this, [this](int at) { table_->set_sort(CoverageTable::Sort(at)); });
    connect(group, &QComboBox::activated, this,
            [this](int at) { table_->set_group(CoverageTable::Group(at)); });
    second->addWidget(filter_);
    second->addWidget(labelled(tr("show"), only, top));
    second->addWidget(labelled(tr("order"), sort, top));
    second->addWidget(group);
    second->addWidget(new Legend(top));
    column->addLayout(second);
    return top;
}

QWidget* CoveragePage::make_cell_bar() {
    cell_bar_ = new QWidget(this);
    cell_bar_->setObjectName("raised");
    auto* column = new QVBoxLayout(cell_bar_);
    column->setContentsMargins(12, 8, 12, 8);
    column->setSpacing(4);
    auto* first = new QHBoxLayout;
    name_ = new QLabel(cell_bar_);
    words_ = new QLabel(cell_bar_);
    words_->setWordWrap(true);
    first->addWidget(name_);
    first->addWidget(words_, 1);
    column->addLayout(first);
    auto* second = new QHBoxLayout;
    open_ = word_button(tr("open at its worst frame"),
                        tr("The pair on the stage (Enter); Shift+D comes back here"), cell_bar_);
    note_ = new QLineEdit(cell_bar_);
    note_->setPlaceholderText(tr("why it is good enough"));
    note_->setAccessibleName(tr("note on what is accepted"));
    accept_ = word_button(tr("accept"), tr("Good enough as it is; holds until an input changes"), cell_bar_);
    again_ = word_button(tr("try it"), tr("Carry and review this pair, in a program of its own"), cell_bar_);
    connect(open_, &QToolButton::clicked, this, [this] {
        if (const auto cell = table_->picked()) emit table_->opened(cell->take, cell->character);
    });
    connect(accept_, &QToolButton::clicked, this, &CoveragePage::accept);
    connect(note_, &QLineEdit::returnPressed, this, &CoveragePage::accept);
    connect(again_, &QToolButton::clicked, this, [this] {
        if (const auto cell = table_->picked())
            desk_.try_pair(CoverageDesk::pair_at(*shown_, cell->take, cell->character));
    });
    second->addWidget(open_);
    second->addWidget(again_);
    second->addWidget(note_, 1);
    second->addWidget(accept_);
    column->addLayout(second);
    return cell_bar_;
}

QWidget* CoveragePage::make_batch_bar() {
    auto* bar = new QWidget(this);
    auto* column = new QVBoxLayout(bar);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* first = new QHBoxLayout;
    all_ = word_button(
        tr("try what is not tried or stale"),
        tr("Carry and review every such pair, in a program of its own that goes on when this window closes"),
        bar);
    order_ = word_button(
        tr("do an order"),
        tr("Write the files of an order that is kept with the library; what is done is not done again"), bar);
    batch_words_ = dim_label({}, bar);
    batch_words_->setWordWrap(false);
    connect(all_, &QToolButton::clicked, this, [this] { desk_.try_all(); });
    connect(order_, &QToolButton::clicked, this, &CoveragePage::choose_order);
    first->addWidget(all_);
    first->addWidget(order_);
    first->addSpacing(8);
    first->addWidget(batch_words_, 1);
    column->addLayout(first);
    batches_ = new QWidget(bar);
    auto* list = new QVBoxLayout(batches_);
    list->setContentsMargins(0, 0, 0, 0);
    list->setSpacing(2);
    column->addWidget(batches_);
    return bar;
}

std::optional<CoverageTable::Cell> CoveragePage::cell_in_hand() const {
    return hovered_ ? hovered_ : table_->picked();
}

void CoveragePage::refresh_table() {
    const auto before = shown_;  // until the table has the new one
    shown_ = desk_.shared_table();
    hovered_.reset();
    table_->set_table(shown_.get());
    const CoverageCount all = shown_->count();
    QStringList words;
    const auto say = [&](int count, const QString& what) {
        if (count > 0) words << QString("%1 %2").arg(count).arg(what);
    };
    say(all.inside, tr("inside"));
    say(all.outside, tr("outside"));
    say(all.accepted, tr("accepted"));
    say(all.stale, tr("stale"));
    say(all.failed, tr("failed"));
    say(all.not_tried, tr("not tried"));
    count_->setText(words.join(tr(" · ")));
    all_->setEnabled(!shown_->cells.empty());
    order_->setEnabled(!desk_.orders().empty());
    refresh_cell();
}

void CoveragePage::refresh_cell() {
    const auto cell = cell_in_hand(), picked = table_->picked();
    const bool is_there = cell && shown_ && cell->take < shown_->takes.size();
    for (QWidget* one : std::initializer_list<QWidget*>{open_, again_}) one->setEnabled(picked.has_value());
    const bool may_accept =
        picked && shown_->at(picked->take, picked->character).state != CoverageCell::State::not_tried;
    note_->setEnabled(may_accept);
    accept_->setEnabled(may_accept);
    const bool is_accepted = picked && shown_->at(picked->take, picked->character).is_accepted;
    accept_->setText(is_accepted ? tr("accept no more") : tr("accept"));
    if (picked && !note_->hasFocus())
        note_->setText(
            is_accepted ? desk_.note(CoverageDesk::pair_at(*shown_, picked->take, picked->character)) : "");
    if (!is_there) {
        name_->setText(tr("<b>A cell</b>"));
        words_->setText(
            tr("says the worst measure by its bar. The pointer says why, a click opens the pair at its worst "
               "frame, a "
               "right click or the arrows pick one."));
        return;
    }
    const OrderedPair pair = CoverageDesk::pair_at(*shown_, cell->take, cell->character);
    name_->setText(
        tr("<b>%1 on %2</b>")
            .arg(QString::fromStdString(shown_->takes[cell->take].shown).toHtmlEscaped(),
                 QString::fromStdString(shown_->characters[cell->character].shown).toHtmlEscaped()));
    const CoverageCell& told = shown_->at(cell->take, cell->character);
    QString words = desk_.words(cell->take, cell->character);
    if (told.state == CoverageCell::State::carried && told.measure >= 0)
        words = tr("%1 % of the bar in %2. %3")
                    .arg(std::lround(100.0 * double(told.share)))
                    .arg(QString::fromStdString(shown_->measures[size_t(told.measure)]),
                         words.left(1).toUpper() + words.mid(1));
    if (told.is_accepted) words += tr(" Accepted: %1").arg(desk_.note(pair));
    words_->setText(words);
}

void CoveragePage::refresh_batches() {
    auto* list = static_cast<QVBoxLayout*>(batches_->layout());
    while (QLayoutItem* item = list->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    const auto& batches = desk_.batches();
    int under_way = 0;
    for (size_t i = 0; i < std::min(batches.size(), most_batches); ++i) {
        const BatchState& batch = batches[i];
        const bool is_on = batch.is == BatchState::Is::under_way;
        under_way += is_on ? 1 : 0;
        auto* row = new QWidget(batches_);
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 0, 0, 0);
        QString what =
            batch.what.empty() ? tr("trial") : tr("order %1").arg(QString::fromStdString(batch.what));
        if (batch.shards > 1) what += tr(", part %1 of %2").arg(batch.shard + 1).arg(batch.shards);
        if (!batch.is_of_this_machine()) what += tr(" on %1").arg(QString::fromStdString(batch.host));
        auto* name = new QLabel(what, row);
        auto* bar = new QProgressBar(row);
        bar->setRange(0, std::max(1, batch.progress.of));
        bar->setValue(batch.progress.of == 0 ? 1 : batch.progress.done);
        bar->setTextVisible(false);
        bar->setFixedSize(scaled(160), scaled(8));
        QString words = tr("%1 of %2").arg(batch.progress.done).arg(batch.progress.of);
        if (batch.progress.failed > 0) words += tr(", %n failed", nullptr, batch.progress.failed);
        if (is_on)
            words += tr(": %1").arg(QString::fromStdString(batch.progress.name));
        else if (batch.is == BatchState::Is::silent)
            words += tr(" · ended without a word: start it again, what is done is not done again");
        else
            words += batch.progress.of == 0 ? tr(" · there was nothing to do")
                                            : tr(" · %1").arg(text_of(batch_state_name(batch.is)));
        auto* how = dim_label(words, row);
        how->setWordWrap(false);
        QStringList faults;
        for (const std::string& fault : batch.faults) faults << QString::fromStdString(fault);
        if (!faults.isEmpty()) how->setToolTip(faults.join("\n"));
        line->addWidget(name);
        line->addWidget(bar);
        line->addWidget(how, 1);
        if (is_on) {
            auto* end = word_button(
                tr("end it"), tr("After the jobs under way; what is done stays, and is not done again"), row);
            connect(end, &QToolButton::clicked, this, [this, batch] { desk_.end_batch(batch); });
            line->addWidget(end);
        }
        list->addWidget(row);
    }
    batch_words_->setText(under_way > 0     ? tr("%n batch(es) under way", nullptr, under_way)
                          : batches.empty() ? tr("No batch has run here lately.")
                                            : tr("Batches of the last two days:"));
}

void CoveragePage::accept() {
    const auto cell = table_->picked();
    if (!cell) return;
    if (shown_->at(cell->take, cell->character).is_accepted)
        desk_.accept_no_more(cell->take, cell->character);
    else
        desk_.accept(cell->take, cell->character, note_->text());
    table_->setFocus();
}

void CoveragePage::choose_order() {
    QMenu menu(this);
    menu.setObjectName("orders");
    for (const KeptOrder& kept : desk_.orders())
        menu.addAction(
            tr("%1: %n pair(s) into %2", nullptr, int(kept.order.pairs.size()))
                .arg(QString::fromStdString(kept.order.name), QString::fromStdString(kept.order.folder)),
            this, [this, path = QString::fromStdString(kept.path)] { desk_.do_order(path); });
    menu.exec(order_->mapToGlobal(QPoint(0, -menu.sizeHint().height())));
}

void CoveragePage::write_table() {
    const QString path = QFileDialog::getSaveFileName(this, tr("Write the table"), "coverage.html",
                                                      tr("Page (*.html);;Table (*.csv);;Document (*.json)"));
    if (!path.isEmpty()) desk_.write(path);
}

}  // namespace nb
