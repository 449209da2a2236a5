#include "app/look/labels.hpp"

#include <QHBoxLayout>

namespace nb {

QLabel* heading_label(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    QFont bold;
    bold.setBold(true);  // only this is its own: size and family are the application's
    label->setFont(bold);
    return label;
}

QLabel* dim_label(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setProperty("dim", true);
    label->setWordWrap(true);
    return label;
}

QWidget* labelled(const QString& word, QWidget* field, QWidget* parent) {
    auto* both = new QWidget(parent);
    auto* line = new QHBoxLayout(both);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(4);
    QLabel* label = dim_label(word, both);
    label->setWordWrap(false);
    line->addWidget(label);
    line->addWidget(field);
    return both;
}

QToolButton* word_button(const QString& text, const QString& tip, QWidget* parent, bool is_switch) {
    auto* button = new QToolButton(parent);
    button->setText(text);
    button->setToolTip(tip);
    button->setCheckable(is_switch);
    button->setFocusPolicy(Qt::TabFocus);
    return button;
}

QString link_to(const QString& to, const QString& words, const QColor& colour) {
    return QString("<a href=\"%1\" style=\"color:%2\">%3</a>")
        .arg(to.toHtmlEscaped(), colour.name(), words.toHtmlEscaped());
}

QString text_of(std::string_view text) {
    return QString::fromUtf8(text.data(), qsizetype(text.size()));
}

}  // namespace nb
