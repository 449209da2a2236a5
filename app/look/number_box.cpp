#include "app/look/number_box.hpp"

namespace nb {

QDoubleSpinBox* number_box(const QString& name, const QString& tip, double least, double most, int decimals,
                           const QString& unit, QWidget* parent) {
    auto* box = new QDoubleSpinBox(parent);
    box->setAccessibleName(name);
    box->setToolTip(tip);
    box->setDecimals(decimals);
    box->setRange(least, most);
    box->setSuffix(unit);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setKeyboardTracking(false);
    return box;
}

}  // namespace nb
