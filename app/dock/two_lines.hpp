// Entries of the dock's lists: two lines, the name, and what is known of it, dim.
#pragma once
#include <QPainter>
#include <QStyledItemDelegate>

#include "app/look/look.hpp"

namespace nb {

class TwoLines : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    /// Of an entry, px.
    static int height(const QFontMetrics& metrics) { return 2 * metrics.height() + 10; }
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex&) const override {
        return {100, height(option.fontMetrics)};
    }
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
        const QStringList lines = index.data().toString().split('\n');
        painter->save();
        if (option.state & QStyle::State_Selected) painter->fillRect(option.rect, look().line);
        const QRect inside = option.rect.adjusted(8, 4, -6, -4);
        painter->setPen(look().text);
        painter->drawText(inside, Qt::AlignLeft | Qt::AlignTop, lines.value(0));
        painter->setPen(look().dim);
        painter->drawText(inside, Qt::AlignLeft | Qt::AlignBottom, lines.value(1));
        painter->restore();
    }
};

}  // namespace nb
