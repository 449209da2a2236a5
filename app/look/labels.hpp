// Labels of the panels: a heading, and text that stands back.
#pragma once
#include <QColor>
#include <QLabel>
#include <QToolButton>
#include <string_view>

namespace nb {

QLabel* heading_label(const QString& text, QWidget* parent);
/// Dimmed, and broken into lines.
QLabel* dim_label(const QString& text, QWidget* parent);

/// A field with its word before it, dimmed: they stay together.
QWidget* labelled(const QString& word, QWidget* field, QWidget* parent);

/// A button with a word, reached by Tab; `is_switch`: it stays pressed.
QToolButton* word_button(const QString& text, const QString& tip, QWidget* parent, bool is_switch = false);
/// Words of a rich text that lead to `to`, underlined.
QString link_to(const QString& to, const QString& words, const QColor& colour);
/// UTF-8 of the core as text.
QString text_of(std::string_view text);

}  // namespace nb
