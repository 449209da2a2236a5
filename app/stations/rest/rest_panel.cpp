#include "app/stations/rest/rest_panel.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QUndoStack>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/stations/body_switch.hpp"
#include "app/stations/rest/bone_form.hpp"
#include "app/stations/rest/rest_sheet.hpp"
#include "app/stations/rest/stance_form.hpp"
#include "app/stations/roles/rails_view.hpp"
#include "app/work/commands.hpp"
#include "app/work/playback.hpp"
#include "core/base/fault.hpp"
#include "core/handover/gltf_rest.hpp"
#include "core/intake/rest_from_file.hpp"
#include "core/rest/compare.hpp"
#include "core/rest/solve.hpp"

namespace nb {

namespace {

constexpr double told_from_deg = 0.1;  // a gap that is drawn as an arc
constexpr double open_from_deg = 1.0;  // a gap that is an open point
constexpr int labelled_arcs = 6;       // the worst ones carry their degrees

}  // namespace

RestPanel::RestPanel(Workspace& workspace, StageView& stage, RestSheet& sheet, Playback& playback,
                     QUndoStack& undo, QWidget* parent)
    : QWidget(parent),
      workspace_(workspace),
      stage_(stage),
      sheet_(sheet),
      playback_(playback),
      undo_(undo),
      edits_(workspace, undo) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 14, 12);
    column->setSpacing(6);
    state_ = new QLabel(this);
    state_->setWordWrap(true);
    column->addWidget(state_);
    auto* stands = new QHBoxLayout;
    stands->setSpacing(4);
    const std::array<std::pair<QString, QString>, 3> words{
        {{tr("aligned"), tr("Both bodies in their aligned rests: what every take goes through")},
         {tr("in the files"), tr("Both bodies as their files have them at rest; arcs show how far apart")},
         {tr("the take"), tr("The shown frame of the running transfer; corrections move it at once")}}};
    for (size_t i = 0; i < 3; ++i) {
        stands_[i] = new QPushButton(words[i].first, this);
        stands_[i]->setToolTip(words[i].second);
        stands_[i]->setCheckable(true);
        stands_[i]->setAutoExclusive(true);
        stands->addWidget(stands_[i]);
        const auto stand =
            std::array{StageView::Stand::aligned, StageView::Stand::stored, StageView::Stand::take}[i];
        connect(stands_[i], &QPushButton::clicked, this, [this, stand] { show_stand(stand); });
    }
    stands->addStretch();
    column->addLayout(stands);

    const auto caption = [this, column](const QString& text) {
        auto* label = new QLabel(text, this);
        label->setProperty("dim", true);
        column->addWidget(label);
    };
    caption(tr("Both bodies: one stance"));
    column->addWidget(stance_ = new StanceForm(this));
    fingers_ = new QCheckBox(tr("compare fingers, too"), this);
    fingers_->setToolTip(tr("Off where the take moves no finger: their rests decide nothing then"));
    fingers_->setChecked(true);
    connect(fingers_, &QCheckBox::clicked, this, &RestPanel::refresh_rows);
    column->addWidget(fingers_);
    solve_both_ = new QPushButton(tr("solve both bodies"), this);
    solve_both_->setToolTip(tr("Both bodies into this stance in one step; corrections by hand are replaced"));
    column->addWidget(solve_both_);
    column->addSpacing(8);

    caption(tr("One body: its alignment, kept with the rig"));
    auto* whose = new QHBoxLayout;
    const QString whose_tip = tr("Whose alignment is shown and changed");
    which_ = new BodySwitch({tr("the source"), tr("the target")}, {whose_tip, whose_tip}, whose, this);
    which_->show_body(true);
    connect(which_, &BodySwitch::chosen, this, &RestPanel::show_body);
    whose->addStretch();
    column->addLayout(whose);
    auto* name_row = new QHBoxLayout;
    names_ = new QComboBox(this);
    names_->setAccessibleName(tr("alignment"));
    names_->setToolTip(
        tr("The alignment in force, kept with the rig; type another name, or choose another one"));
    names_->setEditable(true);
    names_->setInsertPolicy(QComboBox::NoInsert);
    more_ = new QPushButton(tr("more…"), this);
    more_->setToolTip(
        tr("A further alignment: from the shown frame, from a file, a copy; make it the rig's own rest"));
    more_->setMenu(new QMenu(more_));
    name_row->addWidget(names_, 1);
    name_row->addWidget(more_);
    column->addLayout(name_row);
    auto* dials = new QGridLayout;
    dials->setVerticalSpacing(4);
    const std::array<std::array<QString, 3>, 4> settings{
        {{tr("pelvis tilt"), tr("Turns the hips forward, in every frame"), "°"},
         {tr("lean"), tr("Turns spine, chest and neck forward, in every frame"), "°"},
         {tr("gaze"), tr("Turns the head down, in every frame"), "°"},
         {tr("ground"), tr("Lifts the body over the floor, in every frame"), tr(" cm")}}};
    for (size_t i = 0; i < 4; ++i) {
        dials_[i] = rest_field(settings[i][0], settings[i][1], i == 3 ? -50 : -90, i == 3 ? 50 : 90,
                               settings[i][2], this);
        auto* label = new QLabel(settings[i][0], this);
        dials->addWidget(label, int(i) / 2, 2 * (int(i) % 2));
        dials->addWidget(dials_[i], int(i) / 2, 2 * (int(i) % 2) + 1);
        connect(dials_[i], &QDoubleSpinBox::valueChanged, this, [this] {
            if (is_filling_) return;
            set_dials_of_body({deg_to_rad(dials_[0]->value()), deg_to_rad(dials_[1]->value()),
                               deg_to_rad(dials_[2]->value()), 0.01 * dials_[3]->value()});
        });
    }
    column->addLayout(dials);
    column->addSpacing(8);

    column->addWidget(bone_ = new BoneForm(this));
    column->addStretch();

    connect(solve_both_, &QPushButton::clicked, this, &RestPanel::solve_both);
    connect(bone_, &BoneForm::solve_wanted, this, [this] { solve(bone_->scope()); });
    connect(bone_, &BoneForm::reset_wanted, this, [this] { reset(bone_->scope()); });
    connect(bone_, &BoneForm::copy_wanted, this, [this] { copy_from_other(bone_->scope()); });
    connect(bone_, &BoneForm::snap_wanted, this, &RestPanel::snap);
    connect(bone_, &BoneForm::corrected, this, &RestPanel::set_correction_of_picked);
    connect(bone_, &BoneForm::axes_chosen, this, [this] {
        if (is_entered_) stage_.set_handle(true, bone_->axes());
        bone_->show_bone(character(is_of_target_), picked_.toStdString());
    });
    connect(names_, &QComboBox::activated, this, [this](int index) { edits_.choose(is_of_target_, index); });
    connect(names_->lineEdit(), &QLineEdit::editingFinished, this, [this] {
        if (!is_filling_) edits_.rename(is_of_target_, names_->currentText());
    });
    connect(more_->menu(), &QMenu::aboutToShow, this, [this] { fill_menu(more_->menu()); });
    connect(&stage_, &StageView::view_changed, this, [this] {
        const StageView::Stand stand = stage_.stand();
        stands_[stand == StageView::Stand::aligned  ? 0
                : stand == StageView::Stand::stored ? 1
                                                    : 2]
            ->setChecked(true);
    });
    connect(&sheet_, &RestSheet::role_picked, this, &RestPanel::pick);
    connect(&stage_, &StageView::selection_changed, this, [this] {
        if (!is_entered_ || stage_.selected_joint() < 0) return;
        if (stage_.is_selected_in_target() != is_of_target_) {
            is_of_target_ = stage_.is_selected_in_target();
            which_->show_body(is_of_target_);
        }
        if (const Character* c = character(is_of_target_))
            picked_ = QString::fromStdString(c->roles.role_of(stage_.selected_joint()));
        sheet_.show_picked(picked_);
        refresh();
    });
    connect(&stage_, &StageView::turn_begun, this,
            [this](bool of_target, int) { before_turn_ = workspace_.rest_state(of_target); });
    connect(&stage_, &StageView::turned, this, &RestPanel::turn);
    connect(&stage_, &StageView::turn_ended, this, &RestPanel::end_turn);
    for (const auto signal :
         {&Workspace::target_changed, &Workspace::source_changed, &Workspace::rest_changed})
        connect(&workspace_, signal, this, &RestPanel::follow);
    follow();
}

/// What nobody sees is worked out when somebody looks, or asks what is open.
void RestPanel::follow() {
    are_rows_stale_ = true;
    if (!isVisible()) return;
    refresh_rows();
    refresh();
}

void RestPanel::showEvent(QShowEvent*) {
    if (!are_rows_stale_) return;
    refresh_rows();
    refresh();
}

const Character* RestPanel::character(bool of_target) const {
    return edits_.character(of_target);
}

std::vector<std::string> RestPanel::roles_in(Scope scope) const {
    const Character* c = character(is_of_target_);
    if (!c) return {};
    if (scope == Scope::body) return roles_in_order(c->roles);
    const std::string role = picked_.toStdString();
    if (c->roles.joint(role) < 0) return {};
    std::vector<std::string> roles = scope == Scope::limb ? limb_of_role(c->roles, role) : std::vector{role};
    if (!bone_->is_mirrored()) return roles;
    for (size_t i = 0, count = roles.size(); i < count; ++i)
        if (const std::string other = mirrored_role(roles[i]); other != roles[i]) roles.push_back(other);
    return roles;
}

void RestPanel::solve_both() {
    edits_.solve_both(stance_->stance());
}

void RestPanel::solve(Scope scope) {
    const bool is_whole = scope == Scope::body;
    edits_.solve(is_of_target_, roles_in(scope), is_whole, stance_->stance(),
                 is_whole ? tr("solve the rest") : tr("solve %1").arg(picked_));
}

void RestPanel::reset(Scope scope) {
    edits_.reset(is_of_target_, roles_in(scope),
                 scope == Scope::body ? tr("reset the rest") : tr("reset %1").arg(picked_));
}

void RestPanel::copy_from_other(Scope scope) {
    edits_.copy_from_other(is_of_target_, roles_in(scope),
                           tr("%1 as the other body").arg(scope == Scope::body ? tr("stand") : picked_));
}

void RestPanel::snap(Snap snap) {
    const Character* c = character(is_of_target_);
    if (!c || picked_.isEmpty()) return;
    RestAlignment rest = c->rest;
    if (!snap_bone(c->rig.skeleton, c->roles, rest, picked_.toStdString(), snap, bone_->is_mirrored())) {
        emit failed(tr("%1 has no length to turn that way.").arg(picked_));
        return;
    }
    edits_.change(is_of_target_, rest, tr("snap %1").arg(picked_));
}

void RestPanel::set_correction_of_picked(const Vec3& deg) {
    const Character* c = character(is_of_target_);
    if (!c || picked_.isEmpty()) return;
    RestAlignment rest = c->rest;
    set_correction(c->rig.skeleton, c->roles, rest, c->solved, picked_.toStdString(), bone_->axes(), deg,
                   bone_->is_mirrored());
    edits_.change(is_of_target_, rest, tr("turn %1").arg(picked_), "field " + picked_);
}

void RestPanel::set_dials_of_body(const BodyDials& dials) {
    const Character* c = character(is_of_target_);
    if (!c || dials == c->rest.dials) return;
    RestAlignment rest = c->rest;
    set_dials(c->rig.skeleton, c->roles, rest, dials);
    edits_.change(is_of_target_, rest, tr("set the whole body"), "dials");
}

/// A turn in the hand is shown at once, and kept when the hand lets go.
void RestPanel::turn(bool of_target, int joint, const Quat& turn_W) {
    const Character* c = character(of_target);
    if (!c || !is_entered_) return;
    RestState state = before_turn_;
    turn_bone(c->rig.skeleton, c->roles, state.rest, c->roles.role_of(joint), turn_W, bone_->is_mirrored());
    workspace_.set_rest(workspace_.key(of_target), state, false);
}

void RestPanel::end_turn(bool is_kept) {
    if (!character(is_of_target_) || !is_entered_) return;
    const DocumentKey key = workspace_.key(is_of_target_);
    const RestState after = workspace_.rest_state(is_of_target_);
    workspace_.set_rest(key, before_turn_, false);
    if (is_kept && !after.is_same(before_turn_))
        undo_.push(new ChangeRest(workspace_, {{key, before_turn_, after}}, tr("turn %1").arg(picked_)));
}

void RestPanel::forget_current() {
    if (!edits_.forget_current(is_of_target_)) emit failed(tr("It is the only alignment of this rig."));
}

void RestPanel::show_body(bool of_target) {
    is_of_target_ = of_target;
    which_->show_body(of_target);
    if (!picked_.isEmpty()) pick(picked_);
    refresh();
}

void RestPanel::pick(const QString& role) {
    picked_ = role;
    const Character* c = character(is_of_target_);
    const int joint = c ? c->roles.joint(role.toStdString()) : -1;
    const QSignalBlocker blocker(&stage_);
    stage_.select(is_of_target_, joint);
    sheet_.show_picked(role);
    refresh();
}

void RestPanel::enter() {
    if (is_entered_) return;
    is_entered_ = true;
    spread_before_ = stage_.spread();
    view_before_ = stage_.view();
    const Character* c = character(true);
    stage_.set_view(c && c->roles.is_four_legged() ? View::side : View::front);
    stage_.set_spread(0.0);
    stage_.set_stand(StageView::Stand::aligned);
    stage_.set_handle(true, bone_->axes());
    stands_[0]->setChecked(true);
    was_playing_ = playback_.is_playing();
    playback_.play(false);
    refresh_rows();
    refresh();
}

void RestPanel::show_stand(StageView::Stand stand) {
    stage_.set_stand(stand);
    refresh_rows();
}

void RestPanel::leave() {
    if (!is_entered_) return;
    is_entered_ = false;
    stage_.cancel_turn();
    stage_.set_handle(false, TurnAxes::bone);
    stage_.set_arcs({});
    stage_.set_stand(StageView::Stand::take);
    stage_.set_spread(spread_before_);
    stage_.set_view(view_before_);
    if (was_playing_ && !playback_.is_playing()) playback_.play(true);
}

int RestPanel::open_points() {
    if (are_rows_stale_) refresh_rows();
    return int(std::count_if(sheet_.rows().begin(), sheet_.rows().end(), [](const RestRow& row) {
        return row.now.worst_deg() >= open_from_deg && !row.is_carried;
    }));
}

void RestPanel::refresh_rows() {
    are_rows_stale_ = false;
    const LoadedPtr source = workspace_.source();
    const LoadedPtr target = workspace_.target();
    if (!character(false) || !character(true)) {
        sheet_.set_rows({});
        stage_.set_arcs({});
        return;
    }
    const Character& S = source->file.character;
    const Character& T = target->file.character;
    // What the take does decides once; then the box is the person's.
    const QString take = source->file.take ? QString::fromStdString(source->file.take->key()) : QString();
    if (take != fingers_of_) {
        fingers_of_ = take;
        fingers_->setChecked(!source->file.take || moves_fingers(S, *source->file.take));
    }
    sheet_.set_rows(compare_rests(S, T, fingers_->isChecked()));
    if (!is_entered_ || stage_.stand() == StageView::Stand::take) return stage_.set_arcs({});
    const bool is_stored = stage_.stand() == StageView::Stand::stored;
    const RestAlignment S_shown = is_stored ? stored_rest(S.rig, S.roles, S.solved) : S.rest;
    const RestAlignment T_shown = is_stored ? stored_rest(T.rig, T.roles, T.solved) : T.rest;
    std::vector<std::pair<double, GapArc>> arcs;
    for (const RestRow& row : sheet_.rows()) {
        const RestGap& gap = is_stored ? row.stored : row.now;
        if (row.rule != RestRule::match || std::abs(gap.direction_deg) < told_from_deg ||
            (!is_stored && row.is_carried))
            continue;
        GapArc arc;
        arc.from = aligned_direction(S.rig.skeleton, S.roles, S_shown, row.role);
        arc.to = aligned_direction(T.rig.skeleton, T.roles, T_shown, row.role);
        Vec3 end;
        if (arc.from.isZero() || arc.to.isZero() ||
            !find_bone_end(T.rig.skeleton, T.roles, row.role, aligned_pose(T_shown), end))
            continue;
        arc.centre_m = T_shown.p_WJ0[size_t(T.roles.joint(row.role))];
        arc.radius_m = std::max(0.03, 0.7 * (end - arc.centre_m).norm());
        arc.label = QString("%1°").arg(gap.direction_deg, 0, 'f', 1);
        arcs.emplace_back(gap.direction_deg, std::move(arc));
    }
    std::stable_sort(arcs.begin(), arcs.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    std::vector<GapArc> shown;
    shown.reserve(arcs.size());
    for (auto& [degrees, arc] : arcs) {
        if (int(shown.size()) >= labelled_arcs) arc.label.clear();
        shown.push_back(std::move(arc));
    }
    stage_.set_arcs(std::move(shown));
}

void RestPanel::refresh() {
    const Character* c = character(is_of_target_);
    for (QWidget* widget : std::initializer_list<QWidget*>{names_, more_}) widget->setEnabled(c != nullptr);
    const auto& rows = sheet_.rows();
    if (rows.empty()) {
        state_->setText(tr("Rests are compared once there are a source and a target with their roles."));
    } else {
        const RestRow& worst = rows.front();
        const auto unknown =
            std::count_if(rows.begin(), rows.end(), [](const RestRow& row) { return !row.is_roll_known; });
        const int open = open_points();
        double stored = 0.0;
        for (const RestRow& row : rows) stored = std::max(stored, row.stored.worst_deg());
        QString text = open == 0 && stored < 0.5
                           ? tr("<b>%1 roles stand alike</b>, as they do in the files.").arg(rows.size())
                       : open == 0
                           ? tr("<b>%1 roles stand alike</b>; in the files they are up to %2° apart.")
                                 .arg(rows.size())
                                 .arg(stored, 0, 'f', 0)
                           : tr("<b>%1 of %2 roles differ</b>, %3 by %4°: so much is off in every frame.")
                                 .arg(open)
                                 .arg(rows.size())
                                 .arg(spoken_role(worst.role))
                                 .arg(worst.now.worst_deg(), 0, 'f', 1);
        if (unknown > 0) text += tr(" Nothing says how %1 of them are rolled.").arg(unknown);
        state_->setText(text);
    }
    // A body on four legs has one stance so far: its own.
    const bool has_stances = (!character(false) || !character(false)->roles.is_four_legged()) &&
                             (!character(true) || !character(true)->roles.is_four_legged());
    for (QWidget* widget : std::initializer_list<QWidget*>{stance_, solve_both_})
        widget->setEnabled(c && has_stances);
    if (!has_stances) state_->setText(state_->text() + tr(" A body on four legs stands in its own rest."));
    if (c && shown_stance_ != std::pair(workspace_.key(is_of_target_), c->rest.stance)) {
        shown_stance_ = std::pair(workspace_.key(is_of_target_), c->rest.stance);
        stance_->show_stance(c->rest.stance);
    }
    is_filling_ = true;
    names_->clear();
    if (c) {
        names_->addItem(QString::fromStdString(c->rest.name));
        for (const RestAlignment& other : c->other_rests) names_->addItem(QString::fromStdString(other.name));
        dials_[0]->setValue(rad_to_deg(c->rest.dials.pelvis_tilt_rad));
        dials_[1]->setValue(rad_to_deg(c->rest.dials.lean_rad));
        dials_[2]->setValue(rad_to_deg(c->rest.dials.gaze_rad));
        dials_[3]->setValue(100.0 * c->rest.dials.ground_m);
    }
    is_filling_ = false;
    bone_->show_bone(c, picked_.toStdString());
}

}  // namespace nb
