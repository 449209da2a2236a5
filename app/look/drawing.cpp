#include "app/look/drawing.hpp"

#include <QApplication>
#include <QFocusEvent>

namespace nb {

QFont Drawing::letters(int size) {
    QFont font = QApplication::font();
    font.setPixelSize(size);
    return font;
}

bool Drawing::event(QEvent* event) {
    if (event->type() == QEvent::FocusIn) {
        is_reached_by_key_ = static_cast<QFocusEvent*>(event)->reason() != Qt::MouseFocusReason;
        update();
    }
    if (event->type() == QEvent::FocusOut) update();
    const bool is_done = QWidget::event(event);
    if (event->type() == QEvent::Paint && hasFocus() && is_reached_by_key_ && has_focus_frame()) {
        QPainter painter(this);
        painter.setPen(QPen(look().mark, 1, Qt::DotLine));
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
    return is_done;
}

}  // namespace nb
