#include "app/stations/body_switch.hpp"

#include <QBoxLayout>
#include <QPushButton>

namespace nb {

BodySwitch::BodySwitch(const std::array<QString, 2>& names, const std::array<QString, 2>& tips,
                       QBoxLayout* row, QWidget* parent)
    : QButtonGroup(parent) {
    for (size_t i = 0; i < 2; ++i) {
        auto* made = new QPushButton(names[i], parent);
        made->setCheckable(true);
        made->setToolTip(tips[i]);
        addButton(made, int(i));
        row->addWidget(made);
    }
    connect(this, &QButtonGroup::idClicked, this, [this](int id) { emit chosen(id == 1); });
}

void BodySwitch::show_body(bool of_target) {
    button(of_target ? 1 : 0)->setChecked(true);
}

}  // namespace nb
