#include "app/roles_panel.hpp"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QUndoStack>
#include <QVBoxLayout>
#include <cmath>

#include "app/commands.hpp"
#include "app/rails_view.hpp"
#include "app/stage_view.hpp"

namespace nb {

RolesPanel::RolesPanel(Workspace& workspace, StageView& stage, RailsView& rails, QUndoStack& undo,
                       QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage), rails_(rails), undo_(undo) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 14, 14, 12);
    column->setSpacing(6);
    state_ = new QLabel(this);
    state_->setWordWrap(true);
    column->addWidget(state_);
    next_ = new QPushButton(tr("next open one"), this);
    next_->setToolTip(
        tr("Goes to the next role that has no bone or an unsure one; then pick a bone on the body"));
    column->addWidget(next_);
    column->addSpacing(8);
    role_ = new QLabel(this);
    role_->setWordWrap(true);
    column->addWidget(role_);
    evidence_ = new QLabel(this);
    evidence_->setWordWrap(true);
    evidence_->setProperty("dim", true);
    column->addWidget(evidence_);
    mirror_ = new QCheckBox(tr("the other side too"), this);
    mirror_->setChecked(true);
    mirror_->setToolTip(tr("What is given to one side is given to its mirror on the other"));
    column->addWidget(mirror_);
    take_away_ = new QPushButton(tr("take the role away"), this);
    take_away_->setToolTip(tr("The bone goes to the tray (Delete on the rails)"));
    column->addWidget(take_away_);
    column->addSpacing(8);
    auto* heading = new QLabel(tr("<b>All bones</b>"), this);
    column->addWidget(heading);
    search_ = new QLineEdit(this);
    search_->setPlaceholderText(tr("find a bone"));
    search_->setAccessibleName(tr("find a bone"));
    search_->setClearButtonEnabled(true);
    column->addWidget(search_);
    tray_ = new QListWidget(this);
    tray_->setAccessibleName(tr("Bones"));
    tray_->setToolTip(
        tr("Bones without a role come first, with the reason. A click shows one on the body; with a rung "
           "waiting it is given"));
    column->addWidget(tray_, 1);

    connect(next_, &QPushButton::clicked, this, [this] { rails_.pick_next_open(); });
    connect(take_away_, &QPushButton::clicked, this, [this] { take_away(rails_.picked()); });
    connect(&rails_, &RailsView::taken_away, this, &RolesPanel::take_away);
    connect(&rails_, &RailsView::rung_picked, this, [this](const QString& role) {
        const LoadedPtr target = workspace_.target();
        const int joint = target ? target->file.character.roles.joint(role.toStdString()) : -1;
        // A waiting rung stays waiting: showing its own bone is no giving.
        const QSignalBlocker blocker(&stage_);
        if (joint >= 0) stage_.select(true, joint);
        refresh();
    });
    connect(&stage_, &StageView::selection_changed, this, [this] {
        const LoadedPtr target = workspace_.target();
        if (!isVisible() || !target || !stage_.is_selected_in_target() || stage_.selected_joint() < 0) return;
        if (rails_.is_waiting()) return give(stage_.selected_joint());
        const std::string role = target->file.character.roles.role_of(stage_.selected_joint());
        if (!role.empty()) rails_.pick(QString::fromStdString(role), false);
    });
    connect(tray_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { stage_.select(true, item->data(Qt::UserRole).toInt()); });
    connect(search_, &QLineEdit::textChanged, this, &RolesPanel::refresh_tray);
    connect(&workspace_, &Workspace::target_changed, this, [this] {
        refresh();
        refresh_tray();
    });
    refresh();
}

void RolesPanel::give(int joint) {
    const LoadedPtr target = workspace_.target();
    const QString role = rails_.picked();
    if (!target || role.isEmpty() || joint < 0) return;
    const Character& c = target->file.character;
    RoleMap roles = c.roles;
    const std::string name = role.toStdString();
    give_role(c.rig.skeleton, roles, name, joint);
    const std::string other = mirrored_role(name);
    if (mirror_->isChecked() && other != name)
        if (const int mirror = mirrored_joint(c, joint); mirror >= 0)
            give_role(c.rig.skeleton, roles, other, mirror);
    undo_.push(new ChangeRoles(
        workspace_, roles,
        tr("give %1 to %2").arg(role, QString::fromStdString(c.rig.skeleton.names[size_t(joint)]))));
    if (!rails_.pick_next_open()) rails_.pick(role, false);
}

void RolesPanel::take_away(const QString& role) {
    const LoadedPtr target = workspace_.target();
    if (!target || target->file.character.roles.joint(role.toStdString()) < 0) return;
    RoleMap roles = target->file.character.roles;
    give_role(target->file.character.rig.skeleton, roles, role.toStdString(), -1);
    undo_.push(new ChangeRoles(workspace_, roles, tr("take %1 away").arg(role)));
}

void RolesPanel::refresh() {
    const LoadedPtr target = workspace_.target();
    setEnabled(target != nullptr);
    if (!target) return;
    const RoleMap& roles = target->file.character.roles;
    const auto unsure = roles.unsure();
    const int open = int(roles.missing.size() + unsure.size());
    QString state = open == 0 ? tr("<b>Settled.</b> Every role the transfer needs has a bone.")
                              : tr("<b>%1 open.</b>").arg(open);
    if (!roles.missing.empty()) {
        QStringList names;
        for (const auto& role : roles.missing) names << QString::fromStdString(role);
        state += tr(" No bone yet for %1.").arg(names.join(", "));
    }
    if (!unsure.empty()) {
        QStringList names;
        for (const auto& role : unsure) names << QString::fromStdString(role);
        state += tr(" Unsure: %1.").arg(names.join(", "));
    }
    if (roles.plan == "quadruped") state += tr(" A body on four legs.");
    state_->setText(state);
    next_->setVisible(open > 0);
    const QString picked = rails_.picked();
    const RoleFill* fill = roles.fill(picked.toStdString());
    if (picked.isEmpty()) {
        role_->setText(tr("Pick a rung below, then a bone on the body."));
        evidence_->setText({});
    } else if (!fill) {
        role_->setText(tr("<b>%1</b>: pick a bone on the body, or in the list.").arg(picked));
        evidence_->setText({});
    } else {
        const QString bone =
            QString::fromStdString(target->file.character.rig.skeleton.names[size_t(fill->joint)]);
        role_->setText(
            tr("<b>%1</b> is %2, %3 % sure%4")
                .arg(picked, bone)
                .arg(int(std::lround(100 * fill->confidence)))
                .arg(rails_.is_waiting() ? tr(". Pick another bone to change it.") : QString(".")));
        QStringList lines;
        for (const auto& evidence : fill->evidence) lines << QString::fromStdString(evidence);
        evidence_->setText(lines.join("; ") + ".");
    }
    take_away_->setEnabled(fill != nullptr);
}

void RolesPanel::refresh_tray() {
    tray_->clear();
    const LoadedPtr target = workspace_.target();
    if (!target) return;
    const Character& c = target->file.character;
    const auto add = [&](int joint, const QString& about) {
        const QString name = QString::fromStdString(c.rig.skeleton.names[size_t(joint)]);
        if (!name.contains(search_->text(), Qt::CaseInsensitive)) return;
        auto* item = new QListWidgetItem(name + "   " + about, tray_);
        item->setData(Qt::UserRole, joint);
    };
    for (const Unassigned& free : c.roles.unassigned) add(free.joint, QString::fromStdString(free.reason));
    for (const RoleFill& fill : c.roles.fills) add(fill.joint, QString::fromStdString(fill.role));
}

}  // namespace nb
