#include "app/stations/rest/bone_form.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

#include "app/look/labels.hpp"
#include "app/stations/rest/stance_form.hpp"

namespace nb {

BoneForm::BoneForm(QWidget* parent) : QWidget(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    about_ = new QLabel(this);
    about_->setWordWrap(true);
    column->addWidget(about_);
    auto* field_row = new QHBoxLayout;
    field_row->setSpacing(4);
    axes_ = new QComboBox(this);
    axes_->setAccessibleName(tr("axes"));
    axes_->setToolTip(tr(
        "Axes of the handle and the fields: the bone's, those of the bone above, the body's, the world's"));
    axes_->addItems({tr("bone"), tr("above"), tr("body"), tr("world")});
    connect(axes_, &QComboBox::currentIndexChanged, this, &BoneForm::axes_chosen);
    field_row->addWidget(axes_);
    for (size_t i = 0; i < 3; ++i) {
        const QString axis = QString("XYZ").mid(int(i), 1);
        degrees_[i] = rest_field(
            axis, tr("Turned by hand about %1, beyond the solved stance; 0 takes it back").arg(axis), -180,
            180, QString::fromUtf8("°"), this);
        degrees_[i]->setPrefix(axis + " ");
        degrees_[i]->setMinimumWidth(56);
        field_row->addWidget(degrees_[i], 1);
        connect(degrees_[i], &QDoubleSpinBox::valueChanged, this, [this] {
            if (!is_filling_)
                emit corrected({degrees_[0]->value(), degrees_[1]->value(), degrees_[2]->value()});
        });
    }
    column->addLayout(field_row);
    auto* mirror_row = new QHBoxLayout;
    mirror_ = new QCheckBox(tr("the other side follows"), this);
    mirror_->setToolTip(tr("About the body's own plane, whatever the bone axes"));
    mirror_->setChecked(true);
    scope_ = new QComboBox(this);
    scope_->setAccessibleName(tr("scope"));
    scope_->setToolTip(tr("What the three buttons below change"));
    scope_->addItems({tr("this bone"), tr("its limb"), tr("the body")});
    mirror_row->addWidget(mirror_);
    mirror_row->addStretch();
    mirror_row->addWidget(scope_);
    column->addLayout(mirror_row);
    const auto row = [&](std::array<QPushButton*, 3>& buttons,
                         const std::array<std::pair<QString, QString>, 3>& words) {
        auto* line = new QHBoxLayout;
        line->setSpacing(4);
        for (size_t i = 0; i < 3; ++i) {
            buttons[i] = new QPushButton(words[i].first, this);
            buttons[i]->setToolTip(words[i].second);
            line->addWidget(buttons[i]);
        }
        line->addStretch();
        column->addLayout(line);
    };
    row(scoped_, {{{tr("solve"), tr("Into the stance above")},
                   {tr("reset"), tr("Back to how the file has it, relative to the bone above")},
                   {tr("as the other"), tr("Stands as the other body stands")}}});
    row(snaps_, {{{tr("level"), tr("Turns the bone the least way level")},
                  {tr("vertical"), tr("Turns the bone the least way upright")},
                  {tr("straight"), tr("Straight on from the bone above")}}});
    connect(scoped_[0], &QPushButton::clicked, this, &BoneForm::solve_wanted);
    connect(scoped_[1], &QPushButton::clicked, this, &BoneForm::reset_wanted);
    connect(scoped_[2], &QPushButton::clicked, this, &BoneForm::copy_wanted);
    const std::array<Snap, 3> kinds{Snap::level, Snap::vertical, Snap::straight};
    for (size_t i = 0; i < 3; ++i)
        connect(snaps_[i], &QPushButton::clicked, this, [this, kind = kinds[i]] { emit snap_wanted(kind); });
}

TurnAxes BoneForm::axes() const {
    return TurnAxes(axes_->currentIndex());
}

bool BoneForm::is_mirrored() const {
    return mirror_->isChecked();
}

BoneForm::Scope BoneForm::scope() const {
    return Scope(scope_->currentIndex());
}

void BoneForm::show_bone(const Character* c, const std::string& role) {
    const bool has_bone = c && c->roles.joint(role) >= 0;
    for (QPushButton* button : scoped_) button->setEnabled(c != nullptr);
    for (auto* box : degrees_) box->setEnabled(has_bone);
    for (QPushButton* button : snaps_) button->setEnabled(has_bone);
    is_filling_ = true;
    Vec3 deg = Vec3::Zero();
    if (!has_bone) {
        about_->setText(tr("Pick a bone on a body, or a row below; drag a hoop to turn it."));
    } else {
        const QString bone = QString::fromStdString(c->rig.skeleton.names[size_t(c->roles.joint(role))]);
        const auto found = c->rest.found.find(role);
        QString why;
        if (found != c->rest.found.end()) {
            why = found->second.roll == RollSource::by_hand ? tr("turned by hand")
                  : found->second.is_roll_known()
                      ? tr("its roll: %1, %2 % sure")
                            .arg(text_of(roll_source_name(found->second.roll)))
                            .arg(int(std::lround(100 * found->second.sure)))
                      : tr("nothing says how it is rolled: it follows the bone above");
        }
        about_->setText(tr("<b>%1</b> · %2; %3.").arg(QString::fromStdString(role), bone, why));
        const Vec3 shown(degrees_[0]->value(), degrees_[1]->value(), degrees_[2]->value());
        deg = correction_deg(c->rig.skeleton, c->roles, c->rest, c->solved, role, axes(), shown);
    }
    for (size_t i = 0; i < 3; ++i) degrees_[i]->setValue(std::round(deg[int(i)] * 1e6) / 1e6 + 0.0);
    is_filling_ = false;
}

}  // namespace nb
