#include "app/stage/stage_words.hpp"

#include <QFontMetricsF>
#include <QPainter>
#include <algorithm>

#include "app/look/look.hpp"

namespace nb {

namespace {

QFont font_of(const QWidget& widget) {
    QFont small = widget.font();
    small.setBold(true);
    return small;
}

}  // namespace

StageWords::StageWords(QWidget* parent) : QWidget(parent) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    setFocusPolicy(Qt::NoFocus);
    hide();
}

void StageWords::show_words(const std::vector<std::pair<QPointF, QString>>& words) {
    if (words.empty() && words_.empty()) return;
    words_.clear();
    const QFontMetricsF metrics(font_of(*this));
    QRectF all;
    for (const auto& [at, word] : words) {
        const QSizeF size(metrics.horizontalAdvance(word) + 8, metrics.height() + 2);
        const QRectF place(at - QPointF(0.5 * size.width(), 0.5 * size.height()), size);
        if (std::any_of(words_.begin(), words_.end(),
                        [&](const auto& there) { return there.first.intersects(place); }))
            continue;
        // No larger than the words: what lies over OpenGL is blended anew each frame.
        all |= place;
        words_.emplace_back(place, word);
    }
    setVisible(!words_.empty());
    if (words_.empty()) return;
    setGeometry(all.toAlignedRect() & parentWidget()->rect());
    update();
}

void StageWords::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.translate(-pos());
    painter.setFont(font_of(*this));
    QColor band = look().ground;
    band.setAlpha(200);
    for (const auto& [place, word] : words_) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(band);
        painter.drawRoundedRect(place, 3, 3);
        painter.setPen(look().mark);
        painter.drawText(place, Qt::AlignCenter, word);
    }
}

}  // namespace nb
