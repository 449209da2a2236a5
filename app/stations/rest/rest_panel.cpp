#include "app/stations/rest/rest_panel.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
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

#include "app/stage/stage_view.hpp"
#include "app/stations/body_switch.hpp"
#include "app/stations/rest/rest_sheet.hpp"
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

const Take* take_of(const LoadedFile& file) {
    return file.take ? &*file.take : nullptr;
}

}  // namespace

QDoubleSpinBox* RestPanel::field(const QString& name, const QString& tip, double least, double most,
                                 const QString& unit) {
    auto* box = new QDoubleSpinBox(this);
    box->setRange(least, most);
    box->setDecimals(1);
    box->setSuffix(unit);
    box->setAccessibleName(name);
    box->setToolTip(tip);
    box->setKeyboardTracking(false);
    box->setMinimumWidth(64);
    return box;
}

RestPanel::RestPanel(Workspace& workspace, StageView& stage, RestSheet& sheet, Playback& playback,
                     QUndoStack& undo, QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage), sheet_(sheet), playback_(playback), undo_(undo) {
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
    auto* stance_row = new QHBoxLayout;
    stance_ = new QComboBox(this);
    stance_->setAccessibleName(tr("stance"));
    stance_->setToolTip(tr("The stance both bodies are solved for"));
    stance_->addItems(
        {tr("T: arms level"), tr("A: arms lowered"), tr("arms along the body"), tr("own rest")});
    arms_ = field(tr("arms lowered by"), tr("How far the upper arms hang below level"), -90, 120, "°");
    arms_->setValue(45);
    stance_row->addWidget(stance_, 1);
    stance_row->addWidget(arms_);
    column->addLayout(stance_row);
    auto* options = new QGridLayout;
    options->setVerticalSpacing(3);
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
    thumb_ = field(tr("thumb"), tr("Of the thumb off the index, in the palm; at the least: as it is"), -46,
                   120, "°");
    thumb_->setSpecialValueText(tr("as it is"));
    thumb_->setValue(40);
    options->addWidget(straight_, 0, 0);
    options->addWidget(closed_, 0, 1);
    options->addWidget(level_clavicles_, 1, 0);
    options->addWidget(straight_spine_, 1, 1);
    auto* thumb_row = new QHBoxLayout;
    thumb_row->addWidget(new QLabel(tr("thumb off the index"), this));
    thumb_row->addStretch();
    thumb_row->addWidget(thumb_);
    options->addLayout(thumb_row, 2, 0, 1, 2);
    fingers_ = check(tr("compare fingers, too"),
                     tr("Off where the take moves no finger: their rests decide nothing then"), true);
    connect(fingers_, &QCheckBox::clicked, this, &RestPanel::refresh_rows);
    options->addWidget(fingers_, 3, 0, 1, 2);
    column->addLayout(options);
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
        dials_[i] =
            field(settings[i][0], settings[i][1], i == 3 ? -50 : -90, i == 3 ? 50 : 90, settings[i][2]);
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

    // The picked bone.
    bone_ = new QLabel(this);
    bone_->setWordWrap(true);
    column->addWidget(bone_);
    auto* field_row = new QHBoxLayout;
    field_row->setSpacing(4);
    axes_ = new QComboBox(this);
    axes_->setAccessibleName(tr("axes"));
    axes_->setToolTip(tr(
        "Axes of the handle and the fields: the bone's, those of the bone above, the body's, the world's"));
    axes_->addItems({tr("bone"), tr("above"), tr("body"), tr("world")});
    field_row->addWidget(axes_);
    for (size_t i = 0; i < 3; ++i) {
        const QString axis = QString("XYZ").mid(int(i), 1);
        degrees_[i] =
            field(axis, tr("Turned by hand about %1, beyond the solved stance; 0 takes it back").arg(axis),
                  -180, 180, "°");
        degrees_[i]->setPrefix(axis + " ");
        degrees_[i]->setMinimumWidth(56);
        field_row->addWidget(degrees_[i], 1);
        connect(degrees_[i], &QDoubleSpinBox::valueChanged, this, [this] {
            if (!is_filling_)
                set_correction_of_picked({degrees_[0]->value(), degrees_[1]->value(), degrees_[2]->value()});
        });
    }
    column->addLayout(field_row);
    auto* mirror_row = new QHBoxLayout;
    mirror_ =
        check(tr("the other side follows"), tr("About the body's own plane, whatever the bone axes"), true);
    scope_ = new QComboBox(this);
    scope_->setAccessibleName(tr("scope"));
    scope_->setToolTip(tr("What the three buttons below change"));
    scope_->addItems({tr("this bone"), tr("its limb"), tr("the body")});
    mirror_row->addWidget(mirror_);
    mirror_row->addStretch();
    mirror_row->addWidget(scope_);
    column->addLayout(mirror_row);
    const auto button = [this](const QString& text, const QString& tip) {
        auto* b = new QPushButton(text, this);
        b->setToolTip(tip);
        return b;
    };
    auto* scoped = new QHBoxLayout;
    scoped->setSpacing(4);
    solve_ = button(tr("solve"), tr("Into the stance above"));
    reset_ = button(tr("reset"), tr("Back to how the file has it, relative to the bone above"));
    copy_ = button(tr("as the other"), tr("Stands as the other body stands"));
    scoped->addWidget(solve_);
    scoped->addWidget(reset_);
    scoped->addWidget(copy_);
    scoped->addStretch();
    column->addLayout(scoped);
    auto* snaps = new QHBoxLayout;
    snaps->setSpacing(4);
    level_ = button(tr("level"), tr("Turns the bone the least way level"));
    vertical_ = button(tr("vertical"), tr("Turns the bone the least way upright"));
    in_line_ = button(tr("straight"), tr("Straight on from the bone above"));
    snaps->addWidget(level_);
    snaps->addWidget(vertical_);
    snaps->addWidget(in_line_);
    snaps->addStretch();
    column->addLayout(snaps);
    column->addStretch();

    const auto scope = [this] { return Scope(scope_->currentIndex()); };
    connect(solve_both_, &QPushButton::clicked, this, &RestPanel::solve_both);
    connect(solve_, &QPushButton::clicked, this, [this, scope] { solve(scope()); });
    connect(reset_, &QPushButton::clicked, this, [this, scope] { reset(scope()); });
    connect(copy_, &QPushButton::clicked, this, [this, scope] { copy_from_other(scope()); });
    connect(level_, &QPushButton::clicked, this, [this] { snap(Snap::level); });
    connect(vertical_, &QPushButton::clicked, this, [this] { snap(Snap::vertical); });
    connect(in_line_, &QPushButton::clicked, this, [this] { snap(Snap::straight); });
    connect(stance_, &QComboBox::currentIndexChanged, this, [this](int i) { arms_->setVisible(i == 1); });
    arms_->setVisible(false);
    connect(names_, &QComboBox::activated, this, &RestPanel::choose_alignment);
    connect(names_->lineEdit(), &QLineEdit::editingFinished, this,
            [this] { rename_current(names_->currentText()); });
    connect(more_->menu(), &QMenu::aboutToShow, this, [this] { fill_menu(more_->menu()); });
    connect(axes_, &QComboBox::currentIndexChanged, this, [this](int i) {
        if (is_entered_) stage_.set_handle(true, TurnAxes(i));
        refresh_fields();
    });
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
        connect(&workspace_, signal, this, [this] {
            refresh_rows();
            refresh();
        });
    refresh();
}

const Character* RestPanel::character(bool of_target) const {
    const LoadedPtr loaded = workspace_.body(of_target);
    return loaded && loaded->file.character.rest.is_there() ? &loaded->file.character : nullptr;
}

Stance RestPanel::chosen_stance() const {
    Stance stance;
    stance.kind = stance_->currentIndex() == 3 ? Stance::Kind::own : Stance::Kind::arms;
    stance.arms_down_rad = deg_to_rad(stance_->currentIndex() == 1   ? arms_->value()
                                      : stance_->currentIndex() == 2 ? 90.0
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

RestAlignment RestPanel::solved_for(bool of_target, const Stance& stance) const {
    const LoadedPtr loaded = workspace_.body(of_target);
    const Character& c = loaded->file.character;
    return solve_rest(c.rig, c.roles, {take_of(loaded->file), c.rig.options.reference, stance});
}

std::vector<std::string> RestPanel::roles_in(Scope scope) const {
    const Character* c = character(is_of_target_);
    if (!c) return {};
    if (scope == Scope::body) return roles_in_order(c->roles);
    const std::string role = picked_.toStdString();
    if (c->roles.joint(role) < 0) return {};
    std::vector<std::string> roles = scope == Scope::limb ? limb_of_role(c->roles, role) : std::vector{role};
    if (!mirror_->isChecked()) return roles;
    for (size_t i = 0, count = roles.size(); i < count; ++i)
        if (const std::string other = mirrored_role(roles[i]); other != roles[i]) roles.push_back(other);
    return roles;
}

void RestPanel::change_state(const RestState& state, const QString& text, const QString& topic) {
    if (!character(is_of_target_)) return;
    undo_.push(new ChangeRest(workspace_,
                              {{workspace_.key(is_of_target_), workspace_.rest_state(is_of_target_), state}},
                              text, topic));
}

void RestPanel::change(const RestAlignment& rest, const QString& text, const QString& topic) {
    RestState state = workspace_.rest_state(is_of_target_);
    state.rest = rest;
    change_state(state, text, topic);
}

void RestPanel::solve_both() {
    std::vector<ChangeRest::OfBody> bodies;
    for (const bool of_target : {false, true}) {
        const Character* c = character(of_target);
        if (!c) continue;
        RestState after = workspace_.rest_state(of_target);
        const BodyDials dials = after.rest.dials;
        after.rest = solved_for(of_target, chosen_stance());
        set_dials(c->rig.skeleton, c->roles, after.rest, dials);
        bodies.push_back({workspace_.key(of_target), workspace_.rest_state(of_target), after});
    }
    if (!bodies.empty()) undo_.push(new ChangeRest(workspace_, std::move(bodies), tr("solve both rests")));
}

void RestPanel::solve(Scope scope) {
    const Character* c = character(is_of_target_);
    const auto roles = roles_in(scope);
    if (!c || roles.empty()) return;
    RestAlignment rest = c->rest;
    const RestAlignment solved = solved_for(is_of_target_, chosen_stance());
    if (scope == Scope::body) {
        rest = solved;
        set_dials(c->rig.skeleton, c->roles, rest, c->rest.dials);
    } else {
        take_from_alignment(c->rig.skeleton, c->roles, rest, solved, roles);
    }
    change(rest, scope == Scope::body ? tr("solve the rest") : tr("solve %1").arg(picked_));
}

void RestPanel::reset(Scope scope) {
    const Character* c = character(is_of_target_);
    const auto roles = roles_in(scope);
    if (!c || roles.empty()) return;
    RestAlignment rest = c->rest;
    const RestAlignment stored = stored_rest(c->rig, c->roles, c->solved);
    take_from_alignment(c->rig.skeleton, c->roles, rest, stored, roles);
    change(rest, scope == Scope::body ? tr("reset the rest") : tr("reset %1").arg(picked_));
}

void RestPanel::copy_from_other(Scope scope) {
    const Character* c = character(is_of_target_);
    const Character* other = character(!is_of_target_);
    const auto roles = roles_in(scope);
    if (!c || !other || roles.empty()) return;
    RestAlignment rest = c->rest;
    copy_stance(c->rig.skeleton, c->roles, rest, c->solved, other->roles, other->rest, other->solved, roles);
    change(rest, tr("%1 as the other body").arg(scope == Scope::body ? tr("stand") : picked_));
}

void RestPanel::snap(Snap snap) {
    const Character* c = character(is_of_target_);
    if (!c || picked_.isEmpty()) return;
    RestAlignment rest = c->rest;
    if (!snap_bone(c->rig.skeleton, c->roles, rest, picked_.toStdString(), snap, mirror_->isChecked())) {
        emit failed(tr("%1 has no length to turn that way.").arg(picked_));
        return;
    }
    change(rest, tr("snap %1").arg(picked_));
}

void RestPanel::set_correction_of_picked(const Vec3& deg) {
    const Character* c = character(is_of_target_);
    if (!c || picked_.isEmpty()) return;
    RestAlignment rest = c->rest;
    set_correction(c->rig.skeleton, c->roles, rest, c->solved, picked_.toStdString(),
                   TurnAxes(axes_->currentIndex()), deg, mirror_->isChecked());
    change(rest, tr("turn %1").arg(picked_), "field " + picked_);
}

void RestPanel::set_dials_of_body(const BodyDials& dials) {
    const Character* c = character(is_of_target_);
    if (!c || dials == c->rest.dials) return;
    RestAlignment rest = c->rest;
    set_dials(c->rig.skeleton, c->roles, rest, dials);
    change(rest, tr("set the whole body"), "dials");
}

/// A turn in the hand is shown at once, and kept when the hand lets go.
void RestPanel::turn(bool of_target, int joint, const Quat& turn_W) {
    const Character* c = character(of_target);
    if (!c) return;
    RestState state = before_turn_;
    turn_bone(c->rig.skeleton, c->roles, state.rest, c->roles.role_of(joint), turn_W, mirror_->isChecked());
    workspace_.set_rest(workspace_.key(of_target), state, false);
}

void RestPanel::end_turn(bool is_kept) {
    if (!character(is_of_target_)) return;
    const DocumentKey key = workspace_.key(is_of_target_);
    const RestState after = workspace_.rest_state(is_of_target_);
    workspace_.set_rest(key, before_turn_, false);
    if (is_kept && !after.is_same(before_turn_))
        undo_.push(new ChangeRest(workspace_, {{key, before_turn_, after}}, tr("turn %1").arg(picked_)));
}

void RestPanel::add_alignment(RestAlignment rest, const QString& text) {
    RestState state = workspace_.rest_state(is_of_target_);
    std::string name = rest.name;
    const auto is_taken = [&](const std::string& n) {
        return n == state.rest.name || std::any_of(state.others.begin(), state.others.end(),
                                                   [&](const auto& o) { return o.name == n; });
    };
    for (int number = 2; is_taken(name); ++number)
        name = rest.name + " " + QString::number(number).toStdString();
    rest.name = name;
    state.others.push_back(std::move(state.rest));
    state.rest = std::move(rest);
    change_state(state, text);
}

void RestPanel::take_from_frame() {
    const LoadedPtr loaded = workspace_.body(is_of_target_);
    if (!character(is_of_target_)) return;
    Pose source, target;
    workspace_.poses_at(playback_.frame(), source, target);
    const Pose& pose = is_of_target_ ? target : source;
    const Character& c = loaded->file.character;
    if (pose.R.size() != c.rig.skeleton.names.size()) return;
    RestAlignment rest = rest_of_pose(c.rig, c.roles, pose, c.solved);
    rest.name = tr("frame %1 of %2").arg(playback_.frame()).arg(workspace_.take_name()).toStdString();
    add_alignment(std::move(rest), tr("take the rest from a frame"));
}

void RestPanel::take_from_file(const QString& path) {
    const LoadedPtr loaded = workspace_.body(is_of_target_);
    if (!character(is_of_target_)) return;
    try {
        add_alignment(rest_from_file(path.toStdString(), loaded->file.character),
                      tr("take the rest from a file"));
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

void RestPanel::keep_copy() {
    if (const Character* c = character(is_of_target_)) add_alignment(c->rest, tr("keep a copy of the rest"));
}

void RestPanel::forget_current() {
    RestState state = workspace_.rest_state(is_of_target_);
    if (state.others.empty()) return emit failed(tr("It is the only alignment of this rig."));
    state.rest = std::move(state.others.back());
    state.others.pop_back();
    change_state(state, tr("forget an alignment"));
}

void RestPanel::choose_alignment(int index) {
    RestState state = workspace_.rest_state(is_of_target_);
    if (index < 1 || size_t(index) > state.others.size()) return;
    std::swap(state.rest, state.others[size_t(index) - 1]);
    change_state(state, tr("choose the rest %1").arg(QString::fromStdString(state.rest.name)));
}

void RestPanel::rename_current(const QString& name) {
    const Character* c = character(is_of_target_);
    const std::string wanted = name.trimmed().toStdString();
    if (!c || is_filling_ || wanted.empty() || wanted == c->rest.name) return;
    // The name of another one: that one is meant.
    for (size_t i = 0; i < c->other_rests.size(); ++i)
        if (c->other_rests[i].name == wanted) return choose_alignment(int(i) + 1);
    RestAlignment rest = c->rest;
    rest.name = wanted;
    change(rest, tr("name the rest"));
}

void RestPanel::write_rest(const QString& path) {
    const Character* c = character(is_of_target_);
    if (!c) return;
    try {
        write_as_rest(path.toStdString(), *c);
        emit said(
            tr("Written: %1. Its own rest is the aligned one; the mesh stands as it was posed.").arg(path));
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

void RestPanel::fill_menu(QMenu* menu) {
    menu->clear();
    const bool has_body = character(is_of_target_) != nullptr;
    const auto add = [&](const QString& text, auto run) {
        QAction* action = menu->addAction(text);
        action->setEnabled(has_body);
        connect(action, &QAction::triggered, this, run);
    };
    add(tr("a copy of this one"), [this] { keep_copy(); });
    add(tr("from the shown frame %1").arg(playback_.frame()), [this] { take_from_frame(); });
    add(tr("from a file…"), [this] {
        const QString path = QFileDialog::getOpenFileName(
            this, tr("A body that stands as wanted"), {},
            tr("Skeletons and motion (*.bvh *.glb *.gltf *.vrm *.fbx);;All files (*)"));
        if (!path.isEmpty()) take_from_file(path);
    });
    add(tr("forget this one"), [this] { forget_current(); });
    menu->addSeparator();
    add(tr("make it the rig's own rest…"), [this] {
        const Character* c = character(is_of_target_);
        const QString path = QFileDialog::getSaveFileName(
            this, tr("A copy of the rig whose own rest is the aligned one"),
            QString::fromStdString(c->name).replace(' ', '-') + "-rest.glb", tr("glTF (*.glb)"));
        if (!path.isEmpty()) write_rest(path);
    });
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
    stage_.set_handle(true, TurnAxes(axes_->currentIndex()));
    stands_[0]->setChecked(true);
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
}

int RestPanel::open_points() const {
    return int(std::count_if(sheet_.rows().begin(), sheet_.rows().end(), [](const RestRow& row) {
        return row.now.worst_deg() >= open_from_deg && !row.is_carried;
    }));
}

void RestPanel::refresh_rows() {
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
    for (QWidget* widget : std::initializer_list<QWidget*>{names_, more_, solve_, reset_, copy_})
        widget->setEnabled(c != nullptr);
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
    for (QWidget* widget : std::initializer_list<QWidget*>{
             stance_, arms_, straight_, closed_, level_clavicles_, straight_spine_, thumb_, solve_both_})
        widget->setEnabled(c && has_stances);
    if (!has_stances) state_->setText(state_->text() + tr(" A body on four legs stands in its own rest."));
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
    refresh_fields();
}

void RestPanel::refresh_fields() {
    const Character* c = character(is_of_target_);
    const std::string role = picked_.toStdString();
    const bool has_bone = c && c->roles.joint(role) >= 0;
    for (auto* box : degrees_) box->setEnabled(has_bone);
    for (QPushButton* b : {level_, vertical_, in_line_}) b->setEnabled(has_bone);
    is_filling_ = true;
    Vec3 deg = Vec3::Zero();
    if (!has_bone) {
        bone_->setText(tr("Pick a bone on a body, or a row below; drag a hoop to turn it."));
    } else {
        const QString bone = QString::fromStdString(c->rig.skeleton.names[size_t(c->roles.joint(role))]);
        const auto found = c->rest.found.find(role);
        QString why;
        if (found != c->rest.found.end()) {
            const auto name = roll_source_name(found->second.roll);
            why = found->second.roll == RollSource::by_hand ? tr("turned by hand")
                  : found->second.is_roll_known()
                      ? tr("its roll: %1, %2 % sure")
                            .arg(QString::fromUtf8(name.data(), qsizetype(name.size())))
                            .arg(int(std::lround(100 * found->second.sure)))
                      : tr("nothing says how it is rolled: it follows the bone above");
        }
        bone_->setText(tr("<b>%1</b> · %2; %3.").arg(picked_, bone, why));
        const Vec3 shown(degrees_[0]->value(), degrees_[1]->value(), degrees_[2]->value());
        deg = correction_deg(c->rig.skeleton, c->roles, c->rest, c->solved, role,
                             TurnAxes(axes_->currentIndex()), shown);
    }
    for (size_t i = 0; i < 3; ++i) degrees_[i]->setValue(std::round(deg[int(i)] * 1e6) / 1e6 + 0.0);
    is_filling_ = false;
}

}  // namespace nb
