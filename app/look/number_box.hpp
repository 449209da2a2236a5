// A field for a number: without arrows, and what it says is said once it is whole.
#pragma once
#include <QDoubleSpinBox>

namespace nb {

QDoubleSpinBox* number_box(const QString& name, const QString& tip, double least, double most, int decimals,
                           const QString& unit, QWidget* parent);

}  // namespace nb
