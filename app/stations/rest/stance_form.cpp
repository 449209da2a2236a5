#include "app/stations/rest/stance_form.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <cmath>

namespace nb {

namespace {

enum Kind { t_stance, a_stance, along_the_body, own_rest };
constexpr double usual_a_deg = 45.0;

}  // namespace

QDoubleSpinBox* rest_field(const QString& name, const QString& tip, double least, double most,
                           const QString& unit, QWidget* parent) {
    auto* box = new QDoubleSpinBox(parent);
    box->setRange(least, most);
    box->setDecimals(1);
    box->setSuffix(unit);
    box->setAccessibleName(name);
    box->setToolTip(tip);
    box->setKeyboardTracking(false);
    box->setMinimumWidth(64);
    return box;
}

StanceForm::StanceForm(QWidget* parent) : QWidget(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    kind_ = new QComboBox(this);
    kind_->setAccessibleName(tr("stance"));
    kind_->setToolTip(tr("The stance bodies are solved for; at first that of the alignment in force"));
    kind_->addItems({tr("T: arms level"), tr("A: arms lowered"), tr("arms along the body"), tr("own rest")});
    arms_ = rest_field(tr("arms lowered by"), tr("How far the upper arms hang below level"), -90, 120,
                       QString::fromUtf8("°"), this);
    arms_->setValue(usual_a_deg);
    row->addWidget(kind_, 1);
    row->addWidget(arms_);
    column->addLayout(row);
    const auto check = [this](const QString& text, const QString& tip, bool on) {
        auto* box = new QCheckBox(text, this);
        box->setToolTip(tip);
        box->setChecked(on);
        return box;
    };
    straight_ = check(tr("straight fingers"),
                      tr("Every finger bone in one line; else fingers stay as they are"), true);
    closed_ = check(tr("closed"), tr("Fingers side by side; else their spread is kept"), true);
    level_clavicles_ = check(tr("level clavicles"), tr("Else they keep their slope"), false);
    straight_spine_ = check(tr("straight spine"),
                            tr("Spine and neck upright in one line; else they keep their curve"), false);
    thumb_ = rest_field(tr("thumb"), tr("Of the thumb off the index, in the palm; at the least: as it is"),
                        -46, 120, QString::fromUtf8("°"), this);
    thumb_->setSpecialValueText(tr("as it is"));
    thumb_->setValue(40);
    auto* options = new QGridLayout;
    options->setVerticalSpacing(3);
    options->addWidget(straight_, 0, 0);
    options->addWidget(closed_, 0, 1);
    options->addWidget(level_clavicles_, 1, 0);
    options->addWidget(straight_spine_, 1, 1);
    auto* thumb_row = new QHBoxLayout;
    thumb_row->addWidget(new QLabel(tr("thumb off the index"), this));
    thumb_row->addStretch();
    thumb_row->addWidget(thumb_);
    options->addLayout(thumb_row, 2, 0, 1, 2);
    column->addLayout(options);
    connect(kind_, &QComboBox::currentIndexChanged, this,
            [this](int kind) { arms_->setVisible(kind == a_stance); });
    arms_->setVisible(false);
}

Stance StanceForm::stance() const {
    Stance stance;
    const int kind = kind_->currentIndex();
    stance.kind = kind == own_rest ? Stance::Kind::own : Stance::Kind::arms;
    stance.arms_down_rad = deg_to_rad(kind == a_stance         ? arms_->value()
                                      : kind == along_the_body ? 90.0
                                                               : 0.0);
    stance.straight_fingers = straight_->isChecked();
    stance.closed_fingers = closed_->isChecked();
    stance.level_clavicles = level_clavicles_->isChecked();
    stance.straight_spine = straight_spine_->isChecked();
    if (thumb_->value() > thumb_->minimum())
        stance.thumb_rad = deg_to_rad(thumb_->value());
    else
        stance.thumb_rad.reset();
    return stance;
}

void StanceForm::show_stance(const Stance& stance) {
    const double down = rad_to_deg(stance.arms_down_rad);
    const bool is_t = std::abs(down) < 0.05;
    const bool is_along = std::abs(down - 90.0) < 0.05;
    kind_->setCurrentIndex(stance.kind == Stance::Kind::own ? own_rest
                           : is_t                           ? t_stance
                           : is_along                       ? along_the_body
                                                            : a_stance);
    arms_->setValue(is_t || is_along ? usual_a_deg : down);
    straight_->setChecked(stance.straight_fingers);
    closed_->setChecked(stance.closed_fingers);
    level_clavicles_->setChecked(stance.level_clavicles);
    straight_spine_->setChecked(stance.straight_spine);
    thumb_->setValue(stance.thumb_rad ? rad_to_deg(*stance.thumb_rad) : thumb_->minimum());
}

}  // namespace nb
