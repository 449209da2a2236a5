#include "app/stations/hand_over/hand_over_sheet.hpp"

#include <QDir>
#include <QKeyEvent>
#include <QLabel>
#include <QTableWidget>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <set>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/table.hpp"

namespace nb {

namespace {

enum Column { name_column, frames_column, size_column, lost_column, state_column, column_count };

QString size_text(size_t bytes) {
    return bytes < 100'000 ? QObject::tr("%1 kB").arg(double(bytes) / 1e3, 0, 'f', 0)
                           : QObject::tr("%1 MB").arg(double(bytes) / 1e6, 0, 'f', 1);
}

}  // namespace

HandOverSheet::HandOverSheet(HandOverDesk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 6, 12, 6);
    column->setSpacing(4);
    auto* head = new Flow(4);
    count_ = new QLabel(this);
    count_->setObjectName("files to be");
    head->addWidget(count_);
    head->add_gap();
    take_out_ =
        word_button(tr("take out of the order"), tr("The chosen results leave the order (Delete)"), this);
    head->addWidget(take_out_);
    column->addLayout(head);
    table_ = plain_table({tr("file"), tr("frames"), tr("about"), tr("stays behind"), tr("state")},
                         lost_column, tr("files of the order"), this);
    table_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    column->addWidget(table_, 1);
    connect(take_out_, &QToolButton::clicked, this, &HandOverSheet::take_out);
    table_->installEventFilter(this);
    connect(&desk_, &HandOverDesk::planned, this, &HandOverSheet::refresh);
    connect(&desk_, &HandOverDesk::changed, this, &HandOverSheet::refresh_count);
    connect(&desk_, &HandOverDesk::progressed, this, [this](int done, int of, const QString&) {
        if (of == 0) return refresh();
        const QSignalBlocker blocker(table_);
        for (int row = 0; row < table_->rowCount(); ++row) {
            if (row == done)
                table_->item(row, state_column)->setText(tr("is being written"));
            else if (row < done && table_->item(row, state_column)->text() == tr("is being written"))
                table_->item(row, state_column)->setText(tr("written"));
        }
    });
    refresh();
}

/// Delete is this table's before it is anybody else's.
bool HandOverSheet::eventFilter(QObject* of, QEvent* event) {
    if (event->type() != QEvent::KeyPress && event->type() != QEvent::ShortcutOverride)
        return QWidget::eventFilter(of, event);
    if (static_cast<QKeyEvent*>(event)->key() != Qt::Key_Delete) return QWidget::eventFilter(of, event);
    if (event->type() == QEvent::KeyPress) take_out();
    event->accept();
    return true;
}

void HandOverSheet::take_out() {
    std::set<int> rows;
    for (const QTableWidgetItem* item : table_->selectedItems()) rows.insert(item->row());
    std::vector<OrderedPair> pairs;
    for (const int row : rows)
        if (row < int(desk_.rows().size())) pairs.push_back(desk_.rows()[size_t(row)].pair);
    if (!pairs.empty()) desk_.remove_pairs(pairs);
}

std::pair<QString, bool> HandOverSheet::state_of(const HandOverRow& row) const {
    const auto stale = std::find_if(desk_.stale().begin(), desk_.stale().end(),
                                    [&](const StaleRow& one) { return one.name == row.name; });
    const bool is_stale = stale != desk_.stale().end();
    if (const Json* file = desk_.outcome(row)) {
        const std::string state = (*file)["state"];
        if (state == "failed") return {QString::fromStdString((*file).value("why", "")), true};
        if (is_stale) return {tr("stale: %1").arg(QString::fromStdString(stale->why)), true};
        if (state == "written" && row.what == HandOverRow::What::sound)
            return {tr("written; read back sample by sample"), false};
        if (state == "written")
            return {tr("written; read back %1 mm off at most, %2 of %3 keys")
                        .arg((*file)["read_back"].value("place_mm", 0.0), 0, 'f', 3)
                        .arg(file->value("keys", 0))
                        .arg(file->value("keys_before", 0)),
                    false};
    }
    switch (row.state) {
        case HandOverRow::State::free:
            return {row.is_added ? tr("an animation more") : tr("new"), false};
        case HandOverRow::State::there: {
            const QString now =
                is_stale ? tr("is there, stale: %1").arg(QString::fromStdString(stale->why)) : tr("is there");
            const Clash clash = desk_.order().clash;
            return {clash == Clash::skip      ? tr("%1; skipped").arg(now)
                    : clash == Clash::replace ? tr("%1; replaced").arg(now)
                                              : tr("%1; gets a number").arg(now),
                    is_stale || clash == Clash::replace};
        }
        case HandOverRow::State::twice:
        case HandOverRow::State::refused:
            return {QString::fromStdString(row.why), true};
    }
    return {};
}

void HandOverSheet::refresh_count() {
    const auto& order = desk_.order();
    if (order.pairs.empty()) {
        count_->setText(tr("Nothing is in the order yet: put this pair in, or many at once."));
    } else {
        size_t bytes = 0;
        const QString folder = QString::fromStdString(order.folder);
        const QString place = QDir::isAbsolutePath(folder) ? folder : tr("%1 of the library").arg(folder);
        for (const HandOverRow& row : desk_.rows())
            if (row.is_written(order.clash)) bytes += row.bytes;
        count_->setText(tr("%1 of %2 files will be written, about %3, into %4")
                            .arg(desk_.to_write())
                            .arg(std::count_if(desk_.rows().begin(), desk_.rows().end(),
                                               [](const HandOverRow& row) { return !row.is_added; }))
                            .arg(size_text(bytes), place));
        count_->setToolTip(desk_.folder());
    }
    take_out_->setEnabled(!order.pairs.empty());
}

void HandOverSheet::refresh() {
    const QSignalBlocker blocker(table_);
    const auto& rows = desk_.rows();
    fit_rows(*table_);
    table_->setRowCount(int(rows.size()));
    for (int i = 0; i < int(rows.size()); ++i) {
        const HandOverRow& row = rows[size_t(i)];
        const auto [state, is_attention] = state_of(row);
        QStringList lost;
        for (const std::string& line : row.lost) lost << QString::fromStdString(line);
        const std::array<QString, column_count> cells{
            row.name.empty() ? QString::fromStdString(row.pair.take + " · " + row.pair.character)
            : is_of_several(desk_.order(), row) ? QString::fromStdString(row.name + " · " + row.pair.take)
                                                : QString::fromStdString(row.name),
            row.frames > 0 ? tr("%1 at %2").arg(row.frames).arg(row.fps, 0, 'g', 4) : QString(),
            row.frames > 0 ? size_text(row.bytes) : QString(), lost.join("; "), state};
        for (int c = 0; c < column_count; ++c) {
            auto* item = new QTableWidgetItem(cells[size_t(c)]);
            item->setToolTip(cells[size_t(c)]);
            const bool is_dim = c != name_column && !(c == state_column && is_attention);
            item->setForeground(is_dim ? look().dim : look().text);
            if (c == state_column && is_attention) item->setIcon(icon("triangle-alert"));
            table_->setItem(i, c, item);
        }
    }
    refresh_count();
}

}  // namespace nb
