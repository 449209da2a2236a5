#include "app/look/table.hpp"

#include <QHeaderView>

#include "app/look/look.hpp"

namespace nb {

QTableWidget* plain_table(const QStringList& headers, int wide, const QString& name, QWidget* parent) {
    auto* table = new QTableWidget(0, int(headers.size()), parent);
    table->setHorizontalHeaderLabels(headers);
    table->setAccessibleName(name);
    table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table->setSelectionBehavior(QAbstractItemView::SelectRows);
    table->setSelectionMode(QAbstractItemView::SingleSelection);
    table->setTabKeyNavigation(false);
    table->verticalHeader()->hide();
    table->setShowGrid(false);
    table->setWordWrap(false);
    auto* columns = table->horizontalHeader();
    columns->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    columns->setHighlightSections(false);
    columns->setMinimumSectionSize(30);
    for (int i = 0; i < int(headers.size()); ++i)
        columns->setSectionResizeMode(i, i == wide ? QHeaderView::Stretch : QHeaderView::ResizeToContents);
    when_scaled(table, [table] { fit_rows(*table); });
    return table;
}

void fit_rows(QTableWidget& table) {
    table.verticalHeader()->setDefaultSectionSize(table.fontMetrics().height() + 6);
}

}  // namespace nb
