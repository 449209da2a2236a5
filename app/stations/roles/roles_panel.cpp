#include "app/stations/roles/roles_panel.hpp"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QUndoStack>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/stage/stage_view.hpp"
#include "app/stations/body_switch.hpp"
#include "app/stations/roles/rails_view.hpp"
#include "app/work/commands.hpp"
#include "core/base/fault.hpp"
#include "core/body/check.hpp"
#include "core/body/propose.hpp"
#include "core/documents/roles.hpp"

namespace nb {

RolesPanel::RolesPanel(Workspace& workspace, StageView& stage, RailsView& rails, QUndoStack& undo,
                       QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage), rails_(rails), undo_(undo) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 14, 14, 12);
    column->setSpacing(6);
    auto* whose = new QHBoxLayout;
    const QString tip = tr("Whose bones the rails show");
    which_ = new BodySwitch({tr("the source"), tr("the target")}, {tip, tip}, whose, this);
    which_->show_body(true);
    connect(which_, &BodySwitch::chosen, this, &RolesPanel::show_body);
    whose->addStretch();
    hands_ = new QPushButton(tr("hands"), this);
    hands_->setCheckable(true);
    hands_->setToolTip(tr("The rails of the hands, a rung for each bone of a finger (B on the rails)"));
    plan_ = new QPushButton(this);
    plan_->setToolTip(
        tr("The body plan: which roles there are. Another is found by its shape, or chosen here"));
    plan_->setMenu(new QMenu(plan_));
    whose->addWidget(plan_);
    column->addLayout(whose);
    state_ = new QLabel(this);
    state_->setWordWrap(true);
    column->addWidget(state_);
    check_ = new QListWidget(this);
    check_->setAccessibleName(tr("Check"));
    check_->setWordWrap(true);
    check_->setToolTip(tr("What is missing or odd at rest, worst first. A click shows its bones"));
    check_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(check_);
    auto* row = new QHBoxLayout;
    next_ = new QPushButton(tr("next open one"), this);
    next_->setToolTip(
        tr("Goes to the next role that has no bone or an unsure one; then pick a bone on the body"));
    column->addWidget(next_, 0, Qt::AlignLeft);
    again_ = new QPushButton(tr("solve again"), this);
    again_->setToolTip(
        tr("Keeps what was given or confirmed by hand and finds everything else again so that it "
           "fits; the take on the rig helps"));
    row->addWidget(again_);
    from_ = new QPushButton(tr("take roles from…"), this);
    from_->setToolTip(
        tr("The roles of another character, as far as its bones are here; the rest by evidence"));
    from_->setMenu(new QMenu(from_));
    row->addWidget(from_);
    row->addStretch();
    column->addLayout(row);
    settled_ = new QCheckBox(tr("settled: kept as they are"), this);
    settled_->setToolTip(tr("Roles that are settled do not change until this is taken off"));
    auto* settled_row = new QHBoxLayout;
    settled_row->addWidget(settled_);
    settled_row->addStretch();
    settled_row->addWidget(hands_);
    column->addLayout(settled_row);
    column->addSpacing(6);
    role_ = new QLabel(this);
    role_->setWordWrap(true);
    column->addWidget(role_);
    evidence_ = new QLabel(this);
    evidence_->setWordWrap(true);
    evidence_->setProperty("dim", true);
    column->addWidget(evidence_);
    auto* give_row = new QHBoxLayout;
    confirm_ = new QPushButton(tr("it is right"), this);
    confirm_->setToolTip(tr("Keeps what is proposed as if it were given by hand (C on the rails)"));
    mirror_ = new QCheckBox(tr("other side too"), this);
    mirror_->setChecked(true);
    mirror_->setToolTip(tr("What is given to one side is given to its mirror on the other"));
    give_row->addWidget(mirror_);
    give_row->addStretch();
    give_row->addWidget(confirm_);
    take_away_ = new QPushButton(tr("take away"), this);
    take_away_->setToolTip(tr("The bone goes to the tray (Delete on the rails)"));
    give_row->addWidget(take_away_);
    column->addLayout(give_row);
    column->addSpacing(6);
    search_ = new QLineEdit(this);
    search_->setPlaceholderText(tr("find a bone"));
    search_->setAccessibleName(tr("find a bone"));
    search_->setClearButtonEnabled(true);
    auto* find_row = new QHBoxLayout;
    find_row->addWidget(search_, 1);
    several_ = new QPushButton(tr("give these"), this);
    several_->setToolTip(
        tr("Several bones picked in the list (Ctrl, Shift) go to the picked chain, or to the roles from "
           "the picked rung on, from the body outward"));
    find_row->addWidget(several_);
    column->addLayout(find_row);
    tray_ = new QListWidget(this);
    tray_->setAccessibleName(tr("Bones"));
    tray_->setToolTip(
        tr("Bones without a role come first, with the reason. A click shows one on the body; with a rung "
           "waiting it is given"));
    tray_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    tray_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    tray_->setTextElideMode(Qt::ElideRight);
    column->addWidget(tray_, 1);

    connect(next_, &QPushButton::clicked, this, [this] { rails_.pick_next_open(); });
    connect(take_away_, &QPushButton::clicked, this, [this] {
        if (selected_in_tray().size() > 1) return take_away_selected();
        take_away(rails_.picked());
    });
    connect(again_, &QPushButton::clicked, this, &RolesPanel::solve_again);
    connect(confirm_, &QPushButton::clicked, this,
            [this] { confirm(rails_.picked(), rails_.picked_chain()); });
    connect(several_, &QPushButton::clicked, this, [this] { give_several(selected_in_tray()); });
    connect(hands_, &QPushButton::toggled, &rails_, &RailsView::show_hands);
    connect(&rails_, &RailsView::hands_shown, hands_, &QPushButton::setChecked);
    connect(&rails_, &RailsView::confirmed, this, &RolesPanel::confirm);
    connect(&rails_, &RailsView::taken_away, this, &RolesPanel::take_away);
    connect(&rails_, &RailsView::rung_picked, this, [this](const QString& role) {
        const LoadedPtr body = rails_.body();
        const int joint = body ? body->file.character.roles.joint(role.toStdString()) : -1;
        // A waiting rung stays waiting: showing its own bone is no giving.
        const QSignalBlocker blocker(&stage_);
        if (joint >= 0) stage_.select(rails_.is_of_target(), joint);
        refresh();
    });
    connect(&rails_, &RailsView::body_shown, this, &RolesPanel::show_body);
    connect(&stage_, &StageView::selection_changed, this, [this] {
        const LoadedPtr body = rails_.body();
        if (!isVisible() || !body || stage_.selected_joint() < 0 ||
            stage_.is_selected_in_target() != rails_.is_of_target())
            return;
        if (rails_.is_waiting()) return give(stage_.selected_joint());
        const std::string role = body->file.character.roles.role_of(stage_.selected_joint());
        if (!role.empty()) rails_.pick(QString::fromStdString(role), false);
    });
    connect(tray_, &QListWidget::itemSelectionChanged, this, &RolesPanel::refresh);
    connect(tray_, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) {
        // Several bones are gathered, none is given yet.
        if (selected_in_tray().size() > 1) return;
        stage_.select(rails_.is_of_target(), item->data(Qt::UserRole).toInt());
    });
    connect(check_, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) {
        const QString role = item->data(Qt::UserRole + 1).toString();
        const int joint = item->data(Qt::UserRole).toInt();
        if (!role.isEmpty()) rails_.pick(role, joint < 0);
        const QSignalBlocker blocker(&stage_);
        if (joint >= 0) stage_.select(rails_.is_of_target(), joint);
    });
    connect(settled_, &QCheckBox::clicked, this, [this](bool on) {
        const LoadedPtr body = rails_.body();
        if (!body) return;
        RoleMap roles = body->file.character.roles;
        roles.is_settled = on;
        change(roles, on ? tr("settle the roles") : tr("open the roles again"));
    });
    connect(plan_->menu(), &QMenu::aboutToShow, this, &RolesPanel::fill_menus);
    connect(from_->menu(), &QMenu::aboutToShow, this, &RolesPanel::fill_menus);
    connect(search_, &QLineEdit::textChanged, this, &RolesPanel::refresh_tray);
    for (const auto signal : {&Workspace::target_changed, &Workspace::source_changed})
        connect(&workspace_, signal, this, [this] {
            refresh();
            refresh_check();
            refresh_tray();
        });
    refresh();
}

void RolesPanel::show_body(bool of_target) {
    which_->show_body(of_target);
    rails_.show_body(of_target);
    refresh();
    refresh_check();
    refresh_tray();
    emit body_shown(of_target);
}

void RolesPanel::fill_menus() {
    plan_->menu()->clear();
    for (const std::string& name : body_plan_names()) {
        const QString plan = QString::fromStdString(name);
        connect(plan_->menu()->addAction(plan), &QAction::triggered, this, [this, plan] { set_plan(plan); });
    }
    from_->menu()->clear();
    for (const Catalogue::Kin& kin : workspace_.kin_of(rails_.is_of_target()))
        connect(from_->menu()->addAction(
                    tr("%1 — %2 % of its bones are here").arg(kin.name).arg(std::lround(100 * kin.share))),
                &QAction::triggered, this, [this, document = kin.document] { take_from(document); });
    if (from_->menu()->isEmpty())
        from_->menu()->addAction(tr("no other character has roles"))->setEnabled(false);
}

void RolesPanel::refresh() {
    const LoadedPtr body = rails_.body();
    setEnabled(body != nullptr);
    if (!body) return;
    const RoleMap& roles = body->file.character.roles;
    const QString picked = rails_.picked();
    const QString chain = rails_.picked_chain();
    const RoleFill* fill = roles.fill(picked.toStdString());
    if (!chain.isEmpty()) {
        role_->setText(tr("<b>The whole %1%2</b>: pick one of its bones, best the last.")
                           .arg(chain.endsWith(".left")    ? tr("left ")
                                : chain.endsWith(".right") ? tr("right ")
                                                           : QString(),
                                chain.section('.', 0, 0)));
        evidence_->setText({});
    } else if (picked.isEmpty()) {
        role_->setText(
            tr("Pick a rung below, then a bone on the body. A limb's or finger's name takes it whole."));
        evidence_->setText({});
    } else if (!fill) {
        role_->setText(tr("<b>%1</b>: pick a bone on the body, or in the list.").arg(picked));
        evidence_->setText({});
    } else {
        const QString bone =
            QString::fromStdString(body->file.character.rig.skeleton.names[size_t(fill->joint)]);
        role_->setText(
            tr("<b>%1</b> is %2, %3 % sure%4")
                .arg(picked, bone)
                .arg(int(std::lround(100 * fill->confidence)))
                .arg(rails_.is_waiting() ? tr(". Pick another bone to change it.") : QString(".")));
        QStringList lines;
        for (const auto& evidence : fill->evidence) lines << QString::fromStdString(evidence);
        evidence_->setText(lines.join("; ") + ".");
    }
    const size_t several = selected_in_tray().size();
    take_away_->setEnabled(fill != nullptr || several > 1);
    several_->setVisible(several > 1);
    several_->setEnabled(!picked.isEmpty() || !chain.isEmpty());
    several_->setText(tr("give these %1").arg(several));
    confirm_->setEnabled(!chain.isEmpty() || (fill && !fill->is_by_hand));
    hands_->setVisible(!roles.is_four_legged());
}

/// What does not change with the picked rung: state, check, settled.
void RolesPanel::refresh_check() {
    const LoadedPtr body = rails_.body();
    if (!body) return;
    const RoleMap& roles = body->file.character.roles;
    const int open = int(roles.missing.size() + roles.unsure().size());
    const auto entries = check_roles(body->file.character.rig.skeleton, roles);
    QString state = QString::fromStdString(body->file.character.name).toHtmlEscaped();
    state = "<b>" + state + ".</b> ";
    state += open == 0 ? tr("Every role the transfer needs has a bone.") : tr("%1 open.").arg(open);
    if (open == 0)
        state += entries.empty() ? tr(" The check finds nothing odd.") : tr(" The check asks to look at:");
    if (roles.is_four_legged()) state += tr(" A body on four legs.");
    state_->setText(state);
    check_->clear();
    for (const CheckEntry& entry : entries) {
        auto* item = new QListWidgetItem(QString::fromStdString(entry.what), check_);
        item->setData(Qt::UserRole, entry.joints.empty() ? -1 : entry.joints.front());
        item->setData(Qt::UserRole + 1,
                      entry.roles.empty() ? QString() : QString::fromStdString(entry.roles.front()));
    }
    check_->setVisible(!entries.empty());
    check_->setFixedHeight(scaled(std::clamp(int(entries.size()) * 34 + 6, 40, 110)));
    settled_->setChecked(roles.is_settled);
    plan_->setText(QString::fromStdString(roles.plan));
    next_->setVisible(open > 0);
}

void RolesPanel::refresh_tray() {
    const QSignalBlocker blocker(tray_);
    tray_->clear();
    const LoadedPtr body = rails_.body();
    if (!body) return;
    const Character& c = body->file.character;
    const auto add = [&](int joint, const QString& about) {
        const QString name = QString::fromStdString(c.rig.skeleton.names[size_t(joint)]);
        if (!name.contains(search_->text(), Qt::CaseInsensitive)) return;
        auto* item = new QListWidgetItem(name + "   " + about, tray_);
        item->setToolTip(name + ": " + about);
        item->setData(Qt::UserRole, joint);
    };
    for (const Unassigned& free : c.roles.unassigned) add(free.joint, QString::fromStdString(free.reason));
    for (const RoleFill& fill : c.roles.fills) add(fill.joint, QString::fromStdString(fill.role));
}

}  // namespace nb
