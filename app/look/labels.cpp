#include "app/look/labels.hpp"

namespace nb {

QLabel* heading_label(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    QFont font = label->font();
    font.setBold(true);
    label->setFont(font);
    return label;
}

QLabel* dim_label(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setProperty("dim", true);
    label->setWordWrap(true);
    return label;
}

}  // namespace nb
