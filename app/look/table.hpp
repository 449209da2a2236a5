// Tables of the sheets: rows that are picked whole, no grid, one column that takes the room that is left.
#pragma once
#include <QTableWidget>

namespace nb {

/// `wide`: the column that stretches.
QTableWidget* plain_table(const QStringList& headers, int wide, const QString& name, QWidget* parent);
/// Rows as high as the text wants them.
void fit_rows(QTableWidget& table);

}  // namespace nb
