#include "app/look/fields_form.hpp"

#include <QLabel>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"

namespace nb {

FieldsForm::FieldsForm(QWidget* parent) : QWidget(parent), grid_(new QGridLayout(this)) {
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setVerticalSpacing(5);
    grid_->setColumnStretch(1, 1);
}

void FieldsForm::add_row(const QString& word, const std::vector<QWidget*>& fields) {
    const int at = grid_->rowCount();
    auto* label = dim_label(word, this);
    label->setWordWrap(false);
    grid_->addWidget(label, at, 0);
    if (fields.size() == 1) return grid_->addWidget(fields.front(), at, 1);
    auto* flow = new Flow(6);
    for (QWidget* field : fields) flow->addWidget(field);
    grid_->addLayout(flow, at, 1);
}

}  // namespace nb
