#include "app/look/flow.hpp"

#include <QWidget>
#include <algorithm>
#include <utility>

namespace nb {

namespace {

/// It shows only when there is room for all of it.
bool gives_way(QLayoutItem* item) {
    return item->widget() && item->widget()->sizePolicy().horizontalPolicy() == QSizePolicy::Ignored;
}

bool grows(QLayoutItem* item) {
    return item->spacerItem() ||
           (item->widget() && (item->widget()->sizePolicy().horizontalPolicy() & QSizePolicy::ExpandFlag));
}

/// What it must have.
int need(QLayoutItem* item) {
    if (item->spacerItem() || gives_way(item)) return 0;
    return grows(item) ? item->minimumSize().width() : item->sizeHint().width();
}

bool is_there(QLayoutItem* item) {
    return item->spacerItem() || !item->isEmpty();
}

}  // namespace

Flow::~Flow() {
    for (QLayoutItem* item : items_) delete item;
}

void Flow::add_gap() {
    addItem(new QSpacerItem(0, 0, QSizePolicy::Expanding));
}

QLayoutItem* Flow::itemAt(int index) const {
    return index >= 0 && index < count() ? items_[size_t(index)] : nullptr;
}

QLayoutItem* Flow::takeAt(int index) {
    QLayoutItem* item = itemAt(index);
    if (item) items_.erase(items_.begin() + index);
    return item;
}

QSize Flow::minimumSize() const {
    int width = 0;
    int height = 0;
    for (QLayoutItem* item : items_)
        if (is_there(item)) {
            width = std::max(width, need(item));
            height = std::max(height, item->sizeHint().height());
        }
    const QMargins margins = contentsMargins();
    return {width + margins.left() + margins.right(), height + margins.top() + margins.bottom()};
}

QSize Flow::sizeHint() const {
    int width = 0;
    for (QLayoutItem* item : items_)
        if (is_there(item)) width += item->sizeHint().width() + spacing();
    const QMargins margins = contentsMargins();
    return {width + margins.left() + margins.right(), minimumSize().height()};
}

void Flow::setGeometry(const QRect& rect) {
    QLayout::setGeometry(rect);
    lay_out(rect, true);
}

int Flow::lay_out(const QRect& rect, bool is_set) const {
    const QRect inside = rect.marginsRemoved(contentsMargins());
    std::vector<QLayoutItem*> line;
    int taken = 0;
    int tall = 0;
    int y = inside.top();
    const auto end_line = [&] {
        if (is_set) set_line(line, QRect(inside.left(), y, inside.width(), tall));
        y += tall;
        line.clear();
        taken = tall = 0;
    };
    for (QLayoutItem* item : items_) {
        if (!is_there(item)) continue;
        const int wide = need(item);
        if (!line.empty() && taken + wide > inside.width()) {
            end_line();
            y += spacing();
        }
        line.push_back(item);
        taken += wide + (wide > 0 ? spacing() : 0);
        tall = std::max(tall, item->sizeHint().height());
    }
    end_line();
    return y - rect.top() + contentsMargins().bottom();
}

void Flow::set_line(const std::vector<QLayoutItem*>& line, const QRect& rect) const {
    int left_over = rect.width() + spacing();
    int growing = 0;
    for (QLayoutItem* item : line) {
        if (const int wide = need(item)) left_over -= wide + spacing();
        growing += grows(item) && !item->spacerItem();
    }
    int x = rect.left();
    for (QLayoutItem* item : line) {
        int wide = need(item);
        if (gives_way(item) && item->sizeHint().width() + spacing() <= left_over)
            wide = item->sizeHint().width();
        else if (item->spacerItem() && growing == 0)
            wide = std::exchange(left_over, 0);
        else if (grows(item) && !item->spacerItem())
            wide = std::clamp(wide + left_over / growing, wide, item->maximumSize().width());
        const int tall = std::min(rect.height(), item->sizeHint().height());
        item->setGeometry({x, rect.top() + (rect.height() - tall) / 2, wide, tall});
        if (wide > 0) x += wide + (item->spacerItem() ? 0 : spacing());
    }
}

}  // namespace nb
