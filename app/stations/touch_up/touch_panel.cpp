#include "app/stations/touch_up/touch_panel.hpp"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QToolButton>
#include <QUndoStack>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <set>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/number_box.hpp"
#include "app/stations/touch_up/touch_form.hpp"
#include "core/body/plan.hpp"
#include "core/motion/heading.hpp"
#include "core/rest/edit.hpp"

namespace nb {

namespace {

constexpr double usual_hold_s = 0.2;

/// Places are of hips, tips and middle joints of limbs, and the head.
bool can_be_placed(const std::string& role) {
    static const std::set<std::string> parts{"hips", "head", "hand", "foot", "forearm", "shin"};
    return parts.contains(role_part(role));
}

struct Addable {
    TouchKind kind;
    QString tip;
};

std::vector<Addable> addables() {
    return {{TouchKind::turn, QObject::tr("Turns the picked bone about this frame; or drag its hoops")},
            {TouchKind::place,
             QObject::tr("Brings hips, a hand, a foot, an elbow, a knee or the head elsewhere")},
            {TouchKind::hand, QObject::tr("A fist, a grip, a point … over a span")},
            {TouchKind::body, QObject::tr("The whole body higher, farther, turned")},
            {TouchKind::calm, QObject::tr("Takes the tremble out of a limb")},
            {TouchKind::damp, QObject::tr("Less of a swing")},
            {TouchKind::settle, QObject::tr("Hops of the feet that no contact covers are taken out")},
            {TouchKind::loop, QObject::tr("The playing range goes on into itself")},
            {TouchKind::pace, QObject::tr("Faster or slower over the playing range")},
            {TouchKind::straight, QObject::tr("A way over the floor that bends becomes a straight one")}};
}

}  // namespace

TouchPanel::TouchPanel(Workspace& workspace, StageView& stage, Playback& playback, TouchEdits& edits,
                       QUndoStack& undo, QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage), playback_(playback), edits_(edits), undo_(undo) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 14, 12);
    column->setSpacing(6);
    state_ = new QLabel(this);
    state_->setWordWrap(true);
    column->addWidget(state_);
    auto* handles = new Flow(4);
    by_hoops_ = word_button(tr("turn it"), tr("Hoops about the picked bone turn it"), this, true);
    by_arms_ = word_button(
        tr("move it"), tr("Arms at hips, hand, foot, elbow, knee or head bring it elsewhere"), this, true);
    for (QToolButton* one : {by_hoops_, by_arms_}) {
        one->setAutoExclusive(true);
        handles->addWidget(one);
        connect(one, &QToolButton::clicked, this, &TouchPanel::follow_selection);
    }
    by_hoops_->setChecked(true);
    column->addLayout(handles);
    column->addWidget(dim_label(tr("Add about the shown frame"), this));
    auto* kinds = new Flow(4);
    for (const Addable& one : addables()) {
        auto* button = word_button(touch_kind_word(one.kind), one.tip, this);
        button->setObjectName("add " + touch_kind_word(one.kind));
        connect(button, &QToolButton::clicked, this, [this, kind = one.kind] { add(kind); });
        kinds->addWidget(button);
    }
    column->addLayout(kinds);
    column->addSpacing(6);
    make_layer_box(column);
    habit_ = new QLabel(this);
    habit_->setObjectName("habit");
    habit_->setWordWrap(true);
    connect(habit_, &QLabel::linkActivated, this, [this] {
        if (const auto habit = edits_.habit()) edits_.keep_with_body(*habit);
    });
    column->addWidget(habit_);
    column->addSpacing(6);
    column->addWidget(form_ = new TouchForm(workspace, playback, edits, this));
    connect(form_, &TouchForm::said, this, &TouchPanel::said);
    column->addStretch();

    connect(&edits_, &TouchEdits::changed, this, &TouchPanel::refresh);
    connect(&edits_, &TouchEdits::measured, this, &TouchPanel::refresh);
    connect(&stage_, &StageView::selection_changed, this, [this] {
        if (is_entered_) follow_selection();
    });
    connect(&stage_, &StageView::turn_begun, this, [this](bool of_target, int) {
        if (of_target) begin_drag(TouchKind::turn);
    });
    connect(&stage_, &StageView::turned, this, [this](bool, int, const Quat& turn_W) { turn(turn_W); });
    connect(&stage_, &StageView::turn_ended, this, &TouchPanel::end_drag);
    connect(&stage_, &StageView::place_begun, this, [this] { begin_drag(TouchKind::place); });
    connect(&stage_, &StageView::placed, this, [this](int, const Vec3& by_m) { place(by_m); });
    connect(&stage_, &StageView::place_ended, this, &TouchPanel::end_drag);
    refresh();
}

void TouchPanel::make_layer_box(QLayout* column) {
    column->addWidget(dim_label(tr("Layers, in the order in which they act"), this));
    layers_ = new QListWidget(this);
    layers_->setAccessibleName(tr("layers"));
    layers_->setToolTip(tr("Ticked: it acts"));
    when_scaled(layers_, [this] { layers_->setFixedHeight(scaled(66)); });
    column->addWidget(layers_);
    connect(layers_, &QListWidget::currentRowChanged, this, [this] {
        if (is_filling_) return;
        const TouchAt at = chosen_layer();
        if (at.level != edits_.in_hand().level || at.layer != edits_.in_hand().layer) edits_.take_in_hand(at);
    });
    connect(layers_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        if (is_filling_) return;
        const bool acts = item->checkState() == Qt::Checked;
        const TouchAt at{SettingLevel(item->data(Qt::UserRole).toInt()), item->data(Qt::UserRole + 1).toInt(),
                         -1};
        edits_.mute(at, !acts);
    });
    auto* buttons = new Flow(4);
    const auto button = [&](const QString& word, const QString& tip, const std::function<void()>& run) {
        auto* one = word_button(word, tip, this);
        connect(one, &QToolButton::clicked, this, run);
        buttons->addWidget(one);
    };
    button(tr("new layer"), tr("An empty layer; what is added goes into the layer in hand"),
           [this] { edits_.add_layer(tr("layer %1").arg(layers_->count() + 1)); });
    button(tr("earlier"), tr("What is in hand acts one earlier"),
           [this] { edits_.move(edits_.in_hand(), -1); });
    button(tr("later"), tr("What is in hand acts one later"), [this] { edits_.move(edits_.in_hand(), 1); });
    button(tr("alone"), tr("All other layers muted; once more: none"),
           [this] { edits_.solo(edits_.in_hand()); });
    button(tr("remove"), tr("The touch-up in hand, else the layer (Delete)"),
           [this] { edits_.remove(edits_.in_hand()); });
    column->addItem(buttons);
    layer_box_ = new QWidget(this);
    auto* row = new QHBoxLayout(layer_box_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    name_ = new QLineEdit(layer_box_);
    name_->setAccessibleName(tr("name of the layer"));
    name_->setToolTip(tr("The layer's name"));
    level_ = new QComboBox(layer_box_);
    level_->setAccessibleName(tr("kept with"));
    level_->setToolTip(
        tr("Kept for this take on this target, with the pair, or with the body whatever drives it"));
    for (const SettingLevel level : {SettingLevel::take, SettingLevel::pairing, SettingLevel::character})
        level_->addItem(touch_level_word(level), int(level));
    weight_ = number_box(tr("weight of the layer"), tr("How much of the layer acts"), 0, 100, 0, tr(" %"),
                         layer_box_);
    row->addWidget(name_, 2);
    row->addWidget(level_, 2);
    row->addWidget(weight_, 1);
    column->addWidget(layer_box_);
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        if (is_filling_) return;
        edits_.change_layer(edits_.in_hand(), tr("name a layer"), -1,
                            [this](TouchLayer& layer) { layer.name = name_->text().toStdString(); });
    });
    connect(level_, &QComboBox::activated, this,
            [this](int at) { edits_.move_to(edits_.in_hand(), SettingLevel(level_->itemData(at).toInt())); });
    connect(weight_, &QDoubleSpinBox::valueChanged, this, [this](double percent) {
        if (is_filling_) return;
        edits_.change_layer(edits_.in_hand(), tr("weigh a layer"), edits_.topic_of(weight_),
                            [percent](TouchLayer& layer) { layer.weight = 0.01 * percent; });
    });
}

TouchAt TouchPanel::chosen_layer() const {
    const QListWidgetItem* item = layers_->currentItem();
    if (!item) return {};
    return {SettingLevel(item->data(Qt::UserRole).toInt()), item->data(Qt::UserRole + 1).toInt(), -1};
}

std::string TouchPanel::picked() const {
    const LoadedPtr target = workspace_.target();
    if (!target || stage_.selected_joint() < 0 || !stage_.is_selected_in_target()) return {};
    return target->file.character.roles.role_of(stage_.selected_joint());
}

TouchSpan TouchPanel::about_here() const {
    TouchSpan when;
    const double t = workspace_.time_s(playback_.frame());
    when.is_whole = false;
    when.from_s = std::round(1000.0 * (t - 0.5 * usual_hold_s)) / 1000.0;
    when.to_s = std::round(1000.0 * (t + 0.5 * usual_hold_s)) / 1000.0;
    return when;
}

void TouchPanel::add(TouchKind kind) {
    const LoadedPtr target = workspace_.target();
    if (!target || !workspace_.plan()) {
        emit said(tr("There is nothing to touch up: choose a take and a target first."));
        return;
    }
    const RoleMap& roles = target->file.character.roles;
    TouchUp touch;
    touch.kind = kind;
    touch.when = about_here();
    const std::string role = picked();
    const auto or_else = [&](std::initializer_list<const char*> others) -> std::string {
        if (!role.empty()) return std::string(role);
        for (const char* other : others)
            if (roles.joint(other) >= 0) return other;
        return "hips";
    };
    const auto range = [&] {
        touch.when.from_s = workspace_.time_s(playback_.first());
        touch.when.to_s = workspace_.time_s(playback_.last() - 1);
        touch.when.is_whole = playback_.is_whole();
    };
    switch (kind) {
        case TouchKind::turn:
            touch.what = or_else({"head", "neck"});
            touch.turn_rad = {0, 0, deg_to_rad(10.0)};
            break;
        case TouchKind::place: {
            touch.what = or_else({"hand.right", "foot.right"});
            if (!can_be_placed(touch.what)) touch.what = "hips";
            touch.axes = TurnAxes::body;
            touch.place_m = {0, 0.05, 0};
            break;
        }
        case TouchKind::hand:
            touch.what = role_side(role) == Side::left ? "hand.left" : "hand.right";
            touch.pose = "fist";
            touch.replaces = true;
            break;
        case TouchKind::body:
            touch.stage = TouchStage::source;
            touch.axes = TurnAxes::world;
            touch.place_m = {0, 0.1, 0};
            break;
        case TouchKind::calm:
        case TouchKind::damp: {
            touch.stage = TouchStage::source;
            touch.what = or_else({"hand.right", "spine"});
            const BodyPlan& plan = body_plan(roles.plan);
            if (const ChainPlan* chain = plan.chain_of(touch.what)) touch.what = chain->name;
            touch.keep = kind == TouchKind::damp ? 0.5 : 0.0;
            range();
            break;
        }
        case TouchKind::settle:
            touch.stage = TouchStage::source;
            touch.when = {};
            break;
        case TouchKind::loop:
            touch.stage = TouchStage::source;
            range();
            break;
        case TouchKind::pace:
            touch.stage = TouchStage::source;
            touch.percent = 90.0;
            range();
            break;
        case TouchKind::straight:
            touch.stage = TouchStage::source;
            range();
            break;
    }
    edits_.add(touch, tr("add: %1").arg(touch_kind_word(kind)));
    emit said(tr("%1 · %2: %3. Its numbers stand beside the stage, its span in the lane below.")
                  .arg(touch_where(touch), touch_kind_word(kind), touch_words(touch)));
}

void TouchPanel::step_key(int by) {
    std::set<int> frames;
    for (const TouchAt& at : edits_.all()) {
        const TouchSpan& when = edits_.touch(at)->when;
        if (when.is_whole) continue;
        for (const double t : {when.begin_s(), when.from_s, when.to_s, when.end_s()}) {
            const int frame = int(std::lround((t - workspace_.time_s(0)) / playback_.frame_time_s()));
            if (frame >= 0 && frame < playback_.frames()) frames.insert(frame);
        }
    }
    const int now = playback_.frame();
    if (by > 0) {
        if (const auto next = frames.upper_bound(now); next != frames.end()) playback_.go_to(*next);
    } else if (const auto at = frames.lower_bound(now); at != frames.begin()) {
        playback_.go_to(*std::prev(at));
    }
}

void TouchPanel::pick(const QString& role) {
    const LoadedPtr target = workspace_.target();
    if (target) stage_.select(true, target->file.character.roles.joint(role.toStdString()));
}

void TouchPanel::enter() {
    is_entered_ = true;
    follow_selection();
}

void TouchPanel::leave() {
    is_entered_ = false;
    stage_.cancel_turn();
    stage_.set_handle(false, TurnAxes::bone);
    stage_.set_place_handle(false);
}

void TouchPanel::follow_selection() {
    const TouchUp* touch = edits_.touch_in_hand();
    const bool is_turn = touch && touch->kind == TouchKind::turn && touch->what == picked();
    const TurnAxes axes = is_turn && touch->axes == TurnAxes::parent ? TurnAxes::parent : TurnAxes::bone;
    const bool is_placed = by_arms_->isChecked() && can_be_placed(picked());
    stage_.set_handle(!picked().empty() && !is_placed, axes);
    stage_.set_place_handle(is_placed, heading_here());
    refresh();
}

/// The heading of the target in the shown frame, by its hips.
Quat TouchPanel::heading_here() const {
    const LoadedPtr target = workspace_.target();
    Pose source, pose;
    workspace_.poses_at(playback_.frame(), source, pose);
    if (!target) return Quat::Identity();
    const Character& c = target->file.character;
    const int hips = c.roles.joint("hips");
    if (hips < 0 || !c.rest.is_there() || size_t(hips) >= pose.R.size()) return Quat::Identity();
    return exp_rotation(yaw_of_turn(pose.R[size_t(hips)] * c.rest.R_WJ0[size_t(hips)].conjugate()) *
                        Vec3::UnitY());
}

/// How a prop of the take is turned in the shown frame.
Quat TouchPanel::support_here(const std::string& name) const {
    const LoadedPtr take = workspace_.source();
    const int joint = take ? take->file.character.rig.skeleton.find(name) : -1;
    Pose source, target;
    workspace_.poses_at(playback_.frame(), source, target);
    return joint < 0 || size_t(joint) >= source.R.size() ? Quat::Identity() : source.R[size_t(joint)];
}

/// What is in hand goes on when it is of that kind and bone and acts in the shown frame; else a new one begins.
void TouchPanel::begin_drag(TouchKind kind) {
    const std::string role = picked();
    if (!is_entered_ || role.empty()) return;
    playback_.play(false);
    Dragged now;
    now.topic = edits_.new_topic();
    now.touch.kind = kind;
    now.touch.what = role;
    now.touch.when = about_here();
    now.touch.axes = kind == TouchKind::turn ? TurnAxes::bone : TurnAxes::body;
    const TouchUp* touch = edits_.touch_in_hand();
    // Hoops turn about axes of bones.
    const bool has_axes = touch && (kind != TouchKind::turn || touch->axes == TurnAxes::bone ||
                                    touch->axes == TurnAxes::parent);
    if (has_axes && touch->kind == kind && touch->what == role &&
        touch->when.weight(workspace_.time_s(playback_.frame())) > 0.0) {
        now.is_new = false;
        now.touch = *touch;
    }
    const Character& c = workspace_.target()->file.character;
    if (kind == TouchKind::turn)
        now.R_WA = axes_of(c.rig.skeleton, c.roles, c.rest, role, now.touch.axes);
    else if (!now.touch.support.empty())
        now.R_WA = support_here(now.touch.support);
    else if (now.touch.axes == TurnAxes::body)
        now.R_WA = heading_here();
    dragged_ = now;
}

void TouchPanel::turn(const Quat& turn_W) {
    if (!dragged_) return;
    TouchUp touch = dragged_->touch;
    const Quat before = exp_rotation(dragged_->R_WA * touch.turn_rad);
    touch.turn_rad = dragged_->R_WA.conjugate() * log_rotation((before * turn_W).normalized());
    drag_to(touch);
}

void TouchPanel::place(const Vec3& by_m) {
    if (!dragged_) return;
    TouchUp touch = dragged_->touch;
    touch.place_m += dragged_->R_WA.conjugate() * by_m;
    drag_to(touch);
}

void TouchPanel::drag_to(const TouchUp& touch) {
    const QString text = tr("%1 %2").arg(touch_kind_word(touch.kind), QString::fromStdString(touch.what));
    if (dragged_->is_new)
        edits_.add(touch, text, dragged_->topic);
    else
        edits_.change(edits_.in_hand(), text, dragged_->topic, [&](TouchUp& one) { one = touch; });
    dragged_->is_new = false;
    dragged_->is_pushed = true;
}

void TouchPanel::end_drag(bool is_kept) {
    if (!dragged_) return;
    const bool is_pushed = dragged_->is_pushed;
    dragged_.reset();
    if (!is_kept && is_pushed) undo_.undo();
}

void TouchPanel::refresh() {
    is_filling_ = true;
    layers_->clear();
    int count = 0;
    int own_row = -1;
    for (const SettingLevel level : TouchEdits::levels)
        for (int l = 0; l < int(edits_.layers(level).size()); ++l) {
            const TouchLayer& layer = edits_.layers(level)[size_t(l)];
            auto* item = new QListWidgetItem(
                tr("%1 · %2 · %3")
                    .arg(QString::fromStdString(layer.name), touch_level_word(level),
                         layer.touches.size() == 1 ? tr("1 touch-up")
                                                   : tr("%1 touch-ups").arg(layer.touches.size())),
                layers_);
            item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
            item->setCheckState(layer.is_muted ? Qt::Unchecked : Qt::Checked);
            item->setData(Qt::UserRole, int(level));
            item->setData(Qt::UserRole + 1, l);
            if (level == edits_.in_hand().level && l == edits_.in_hand().layer)
                own_row = layers_->count() - 1;
            count += int(layer.touches.size());
        }
    layers_->setCurrentRow(own_row);
    const TouchLayer* layer = edits_.layer(edits_.in_hand());
    layer_box_->setVisible(layer != nullptr);
    if (layer) {
        name_->setText(QString::fromStdString(layer->name));
        level_->setCurrentIndex(level_->findData(int(edits_.in_hand().level)));
        weight_->setValue(std::round(100.0 * layer->weight));
    }
    const QString role = QString::fromStdString(picked());
    const QString text =
        role.isEmpty() && count == 0
            ? tr("The transfer as it is. Pick a bone on the target, drag a hoop: it is turned about "
                 "this frame. Or add something.")
        : role.isEmpty() ? tr("Pick a bone on the target and turn or move it about this frame.")
        : by_arms_->isChecked() && !can_be_placed(role.toStdString())
            ? tr("<b>%1</b> can be turned; hips, hands, feet, elbows, knees and the head can be "
                 "moved.")
                  .arg(role)
        : by_arms_->isChecked() ? tr("<b>%1</b>: drag an arm to move it about this frame.").arg(role)
                                : tr("<b>%1</b>: drag a hoop to turn it about this frame.").arg(role);
    state_->setText(text);
    const auto habit = edits_.habit();
    habit_->setVisible(habit.has_value());
    if (habit)
        habit_->setText(tr("%1 · %2 is much the same on %3 takes · <a href='keep'>keep it with the body</a>")
                            .arg(touch_where(habit->touch), touch_words(habit->touch))
                            .arg(habit->takes.size()));
    is_filling_ = false;
}

}  // namespace nb
