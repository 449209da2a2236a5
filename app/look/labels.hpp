// Labels of the panels: a heading, and text that stands back.
#pragma once
#include <QLabel>

namespace nb {

QLabel* heading_label(const QString& text, QWidget* parent);
/// Dimmed, and broken into lines.
QLabel* dim_label(const QString& text, QWidget* parent);

}  // namespace nb
