#include "app/stations/touch_up/touch_form.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <cmath>

#include "app/look/labels.hpp"
#include "app/look/number_box.hpp"
#include "core/body/plan.hpp"
#include "core/touchup/hand_pose.hpp"

namespace nb {

namespace {

using K = TouchKind;

/// The stages a kind can act at, in their order.
std::vector<TouchStage> stages_of(TouchKind kind) {
    if (kind == K::place) return {TouchStage::angles};
    if (kind == K::settle || kind == K::loop || kind == K::pace) return {TouchStage::source};
    if (kind == K::turn || kind == K::hand) return {TouchStage::source, TouchStage::angles, TouchStage::last};
    return {TouchStage::source, TouchStage::last};
}

QString stage_word(TouchStage stage) {
    return stage == TouchStage::source   ? QObject::tr("on the take")
           : stage == TouchStage::angles ? QObject::tr("before contacts")
                                         : QObject::tr("last");
}

}  // namespace

TouchForm::TouchForm(Workspace& workspace, Playback& playback, TouchEdits& edits, QWidget* parent)
    : QWidget(parent), workspace_(workspace), playback_(playback), edits_(edits) {
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setVerticalSpacing(5);
    grid->setColumnStretch(1, 1);
    about_ = new QLabel(this);
    about_->setWordWrap(true);
    grid->addWidget(about_, 0, 0, 1, 4);
    what_ = choice(tr("where"), tr("The bone, limb or run it acts on"), [this](TouchUp& touch, int at) {
        touch.what = what_->itemData(at).toString().toStdString();
    });
    add_row(*grid, tr("where"), {what_}, [](const TouchUp& t) {
        return t.kind != K::body && t.kind != K::settle && t.kind != K::loop && t.kind != K::pace;
    });
    other_side_ = tick(tr("the other side, too"), tr("Mirrored onto the other side"),
                       [](TouchUp& touch, bool on) { touch.has_other_side = on; });
    add_row(*grid, {}, {other_side_}, [](const TouchUp& t) { return mirrored_role(t.what) != t.what; });
    stage_ =
        choice(tr("acts"),
               tr("On the take: before everything. Before contacts: what is held stays. Last: it may break "
                  "contacts"),
               [this](TouchUp& touch, int at) { touch.stage = TouchStage(stage_->itemData(at).toInt()); });
    add_row(*grid, tr("acts"), {stage_}, [](const TouchUp&) { return true; });
    axes_ = choice(tr("axes"), tr("By which axes turn or shift are given"), [this](TouchUp& touch, int at) {
        const QVariant axes = axes_->itemData(at);
        // A number: axes of the body; a text: of that prop, as it moves.
        touch.support = axes.typeId() == QMetaType::QString ? axes.toString().toStdString() : "";
        touch.axes = touch.support.empty() ? TurnAxes(axes.toInt()) : TurnAxes::world;
    });
    add_row(*grid, tr("axes"), {axes_},
            [](const TouchUp& t) { return t.kind == K::turn || t.kind == K::place || t.kind == K::body; });
    for (int i = 0; i < 3; ++i) {
        const QString axis = QString("XYZ").mid(i, 1);
        degrees_[size_t(i)] = number(
            tr("turned about %1").arg(axis), tr("Degrees about %1; turns add up").arg(axis), -360, 360, 1.0,
            QString::fromUtf8("°"), [i](TouchUp& touch, double deg) { touch.turn_rad[i] = deg_to_rad(deg); });
        centimetres_[size_t(i)] =
            number(tr("moved along %1").arg(axis), tr("Centimetres along %1").arg(axis), -500, 500, 1.0, {},
                   [i](TouchUp& touch, double cm) { touch.place_m[i] = 0.01 * cm; });
        degrees_[size_t(i)]->setPrefix(axis + " ");
        centimetres_[size_t(i)]->setPrefix(axis + " ");
    }
    add_row(*grid, tr("turned"), {degrees_.begin(), degrees_.end()},
            [](const TouchUp& t) { return t.kind == K::turn; });
    const auto moves = [](const TouchUp& t) { return t.kind == K::place || t.kind == K::body; };
    add_row(*grid, tr("cm"), {centimetres_.begin(), centimetres_.end()}, moves);
    heading_ = number(tr("heading"), tr("Turned about the upright, degrees"), -360, 360, 5.0,
                      QString::fromUtf8("°"), [](TouchUp& touch, double deg) {
                          touch.turn_rad = {0, deg_to_rad(deg), 0};
                      });
    add_row(*grid, tr("heading"), {heading_}, [](const TouchUp& t) { return t.kind == K::body; });
    ends_stay_ = tick(tr("hands and feet stay"),
                      tr("Where they were, as far as arms and legs reach; off: they go with it"),
                      [](TouchUp& touch, bool on) { touch.ends_stay = on; });
    add_row(*grid, {}, {ends_stay_}, [](const TouchUp& t) { return t.kind == K::body; });
    pose_ =
        choice(tr("pose"), tr("Fits every hand, of three to five fingers"), [this](TouchUp& touch, int at) {
            touch.pose = pose_->itemText(at).toStdString();
            touch.own_pose = pose_->itemData(at).value<std::optional<HandPose>>();
        });
    opening_ = number(tr("open"), tr("0: as posed, 100: straight"), 0, 100, 5, tr(" %"),
                      [](TouchUp& touch, double percent) { touch.opening = 0.01 * percent; });
    const auto is_hand = [](const TouchUp& t) { return t.kind == K::hand; };
    add_row(*grid, tr("pose"), {pose_, opening_}, is_hand);
    hand_name_ = new QLineEdit(this);
    hand_name_->setAccessibleName(tr("name of the shown hand"));
    hand_name_->setPlaceholderText(tr("name the shown hand"));
    hand_name_->setToolTip(
        tr("The hand as it is in the shown frame becomes a pose of your own, for every rig"));
    auto* keep_hand =
        word_button(tr("keep it"), tr("Into the library's hands, and into this touch-up"), this);
    connect(hand_name_, &QLineEdit::returnPressed, this, &TouchForm::keep_hand);
    connect(keep_hand, &QToolButton::clicked, this, &TouchForm::keep_hand);
    add_row(*grid, tr("own"), {hand_name_, keep_hand}, is_hand);
    replaces_ = tick(tr("instead of the take's own fingers"),
                     tr("Off: the pose comes on top of what the take's fingers do"),
                     [](TouchUp& touch, bool on) { touch.replaces = on; });
    add_row(*grid, {}, {replaces_}, is_hand);
    cut_off_ = number(tr("above"), tr("What is faster than this goes"), 0.5, 100, 0.5, tr(" Hz"),
                      [](TouchUp& touch, double hz) { touch.cut_off_hz = hz; });
    add_row(*grid, tr("calms above"), {cut_off_}, [](const TouchUp& t) { return t.kind == K::calm; });
    keep_ = number(tr("keep"), tr("Share of it that is kept"), 0, 100, 5, tr(" %"),
                   [](TouchUp& touch, double percent) { touch.keep = 0.01 * percent; });
    damp_by_ = choice(tr("damps"),
                      tr("A share of the swing about its own slow course, or inside a range of degrees"),
                      [](TouchUp& touch, int at) { touch.range_rad = at == 0 ? 0.0 : deg_to_rad(15.0); });
    damp_by_->addItems({tr("to a share"), tr("inside a range")});
    range_ =
        number(tr("range"), tr("Held inside so much to either side of its middle, softly from half of it on"),
               0.5, 180, 1.0, QString::fromUtf8("°"),
               [](TouchUp& touch, double deg) { touch.range_rad = deg_to_rad(deg); });
    add_row(*grid, tr("damps"), {damp_by_}, [](const TouchUp& t) { return t.kind == K::damp; });
    add_row(*grid, tr("keeps"), {keep_}, [](const TouchUp& t) {
        return t.kind == K::calm || t.kind == K::straight || (t.kind == K::damp && t.range_rad <= 0.0);
    });
    add_row(*grid, tr("within"), {range_},
            [](const TouchUp& t) { return t.kind == K::damp && t.range_rad > 0.0; });
    percent_ = number(tr("pace"), tr("100: as fast as the take"), 10, 1000, 5, tr(" %"),
                      [](TouchUp& touch, double percent) { touch.percent = percent; });
    add_row(*grid, tr("pace"), {percent_}, [](const TouchUp& t) { return t.kind == K::pace; });
    travel_ = tick(tr("keeps its travel"), tr("Off: it loops on the spot"),
                   [](TouchUp& touch, bool on) { touch.has_travel = on; });
    add_row(*grid, {}, {travel_}, [](const TouchUp& t) { return t.kind == K::loop; });
    whole_ = tick(tr("the whole take"), tr("Always in full; else it arrives, holds and goes"),
                  [this](TouchUp& touch, bool on) {
                      touch.when.is_whole = on;
                      if (on || touch.when.to_s > touch.when.from_s) return;
                      touch.when.from_s = workspace_.time_s(0);
                      touch.when.to_s = workspace_.time_s(std::max(0, workspace_.frames() - 1));
                  });
    add_row(*grid, tr("when"), {whole_}, [](const TouchUp&) { return true; });
    const std::array<std::pair<QString, QString>, 4> whens{
        {{tr("from"), tr("In full from here, seconds of the take's file")},
         {tr("to"), tr("In full up to here")},
         {tr("arrives"), tr("Over so long before, eased")},
         {tr("goes"), tr("Over so long after, eased")}}};
    for (size_t i = 0; i < 4; ++i)
        when_[i] = number(whens[i].first, whens[i].second, i < 2 ? -1e5 : 0.0, 1e5, 0.05, tr(" s"),
                          [i](TouchUp& touch, double s) {
                              TouchSpan& when = touch.when;
                              if (i == 0) when.to_s = std::max(when.to_s, when.from_s = s);
                              if (i == 1) when.from_s = std::min(when.from_s, when.to_s = s);
                              if (i == 2) when.arrive_s = s;
                              if (i == 3) when.release_s = s;
                          });
    const auto is_keyed = [](const TouchUp& t) { return !t.when.is_whole; };
    add_row(*grid, tr("in full"), {when_[0], when_[1]}, is_keyed);
    add_row(*grid, tr("eases"), {when_[2], when_[3]}, is_keyed);
    connect(&edits_, &TouchEdits::changed, this, &TouchForm::refresh);
    refresh();
}

void TouchForm::add_row(QGridLayout& grid, const QString& name, std::vector<QWidget*> fields,
                        std::function<bool(const TouchUp&)> is_used) {
    Row row{dim_label(name, this), std::move(fields), std::move(is_used)};
    row.name->setWordWrap(false);
    const int at = grid.rowCount();
    grid.addWidget(row.name, at, 0);
    auto* line = new QHBoxLayout;
    line->setSpacing(4);
    for (QWidget* field : row.fields) line->addWidget(field, 1);
    grid.addLayout(line, at, 1);
    rows_.push_back(std::move(row));
}

QDoubleSpinBox* TouchForm::number(const QString& name, const QString& tip, double least, double most,
                                  double step, const QString& unit,
                                  std::function<void(TouchUp&, double)> set) {
    auto* field = number_box(name, tip, least, most, step < 0.5 ? 2 : 1, unit, this);
    field->setSingleStep(step);
    field->setMinimumWidth(50);
    connect(field, &QDoubleSpinBox::valueChanged, this, [this, field, set = std::move(set)](double value) {
        change(field, [&](TouchUp& touch) { set(touch, value); });
    });
    return field;
}

QCheckBox* TouchForm::tick(const QString& name, const QString& tip, std::function<void(TouchUp&, bool)> set) {
    auto* field = new QCheckBox(name, this);
    field->setToolTip(tip);
    connect(field, &QCheckBox::clicked, this, [this, set = std::move(set)](bool on) {
        change(nullptr, [&](TouchUp& touch) { set(touch, on); });
    });
    return field;
}

QComboBox* TouchForm::choice(const QString& name, const QString& tip,
                             std::function<void(TouchUp&, int)> set) {
    auto* field = new QComboBox(this);
    field->setAccessibleName(name);
    field->setToolTip(tip);
    field->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    field->setMinimumContentsLength(8);
    connect(field, &QComboBox::activated, this, [this, set = std::move(set)](int at) {
        change(nullptr, [&](TouchUp& touch) { set(touch, at); });
    });
    return field;
}

void TouchForm::change(const QObject* field, const std::function<void(TouchUp&)>& edit) {
    if (is_filling_) return;
    // What is typed into one field in a row is one change.
    edits_.change(edits_.in_hand(), tr("change a touch-up"),
                  field ? edits_.topic_of(field) : edits_.new_topic(), edit);
}

void TouchForm::keep_hand() {
    const TouchUp* touch = edits_.touch_in_hand();
    const LoadedPtr target = workspace_.target();
    const std::string name = hand_name_->text().trimmed().toStdString();
    if (!touch || !target) return;
    if (name.empty()) {
        emit said(tr("Give the hand a name first."));
        return hand_name_->setFocus();
    }
    Pose source, shown;
    workspace_.poses_at(playback_.frame(), source, shown);
    const Character& c = target->file.character;
    const std::string side = role_side(touch->what) == Side::right ? ".right" : ".left";
    const auto pose = hand_pose_of(c.rig.skeleton, c.roles, c.rest, side, shown, name);
    if (!pose) {
        emit said(tr("The body has no fingers there: nothing to keep."));
        return;
    }
    if (!workspace_.keep_hand_pose(*pose)) return;
    hand_name_->clear();
    edits_.change(edits_.in_hand(), tr("a hand of one's own"), edits_.new_topic(), [&](TouchUp& one) {
        one.pose = name;
        one.own_pose = pose;
        one.opening = 0.0;
    });
}

void TouchForm::fill_poses(const TouchUp& touch) {
    pose_->clear();
    const auto add = [this](const std::string& name, const std::optional<HandPose>& own) {
        pose_->addItem(QString::fromStdString(name), QVariant::fromValue(own));
    };
    for (const HandPose& pose : shipped_hand_poses()) add(pose.name, std::nullopt);
    for (const HandPose& pose : workspace_.hand_poses())
        if (!touch.own_pose || pose.name != touch.pose) add(pose.name, pose);
    if (touch.own_pose) add(touch.pose, touch.own_pose);
    for (int at = 0; at < pose_->count(); ++at)
        if (pose_->itemText(at).toStdString() == touch.pose &&
            pose_->itemData(at).value<std::optional<HandPose>>().has_value() == touch.own_pose.has_value())
            pose_->setCurrentIndex(at);
}

void TouchForm::fill_what(const TouchUp& touch) {
    what_->clear();
    const LoadedPtr target = workspace_.target();
    if (!target) return;
    const RoleMap& roles = target->file.character.roles;
    const BodyPlan& plan = body_plan(roles.plan);
    const auto add = [&](const std::string& what) {
        if (what_->findData(QString::fromStdString(what)) < 0)
            what_->addItem(QString::fromStdString(what), QString::fromStdString(what));
    };
    switch (touch.kind) {
        case K::hand:
            for (const char* hand : {"hand.left", "hand.right"})
                if (roles.joint(hand) >= 0) add(hand);
            break;
        case K::place:
            for (const char* what : {"hips", "head", "hand.left", "hand.right", "forearm.left",
                                     "forearm.right", "foot.left", "foot.right", "shin.left", "shin.right"})
                if (roles.joint(what) >= 0) add(what);
            break;
        case K::calm:
        case K::damp:
            for (const ChainPlan& chain : plan.chains)
                if (!chain.roles.empty() && roles.joint(chain.roles.front()) >= 0) add(chain.name);
            [[fallthrough]];
        default:
            for (const RoleFill& fill : roles.fills) add(fill.role);
    }
    if (!touch.what.empty()) add(touch.what);
    what_->setCurrentIndex(what_->findData(QString::fromStdString(touch.what)));
}

void TouchForm::fill_axes(const TouchUp& touch) {
    axes_->clear();
    if (touch.kind == K::turn) {
        axes_->addItem(tr("bone"), int(TurnAxes::bone));
        axes_->addItem(tr("above"), int(TurnAxes::parent));
    }
    axes_->addItem(tr("body"), int(TurnAxes::body));
    axes_->addItem(tr("world"), int(TurnAxes::world));
    const auto add_support = [this](const std::string& name) {
        const QString text = QString::fromStdString(name);
        if (axes_->findData(text) < 0) axes_->addItem(text, text);
    };
    if (touch.kind == K::place) {
        // What the take moves beside the body.
        if (const LoadedPtr source = workspace_.source())
            for (const StagePiece& piece : source->file.pieces)
                if (!piece.joint.empty()) add_support(piece.joint);
        if (!touch.support.empty()) add_support(touch.support);
    }
    const int at = touch.support.empty() ? axes_->findData(int(touch.axes))
                                         : axes_->findData(QString::fromStdString(touch.support));
    axes_->setCurrentIndex(std::max(0, at));
}

void TouchForm::refresh() {
    const TouchUp* touch = edits_.touch_in_hand();
    for (Row& row : rows_) {
        const bool is_used = touch && row.is_used(*touch);
        row.name->setVisible(is_used);
        for (QWidget* field : row.fields) field->setVisible(is_used);
    }
    if (!touch) {
        about_->setText({});
        about_->setVisible(false);
        return;
    }
    is_filling_ = true;
    about_->setVisible(true);
    about_->setText(QString("<b>%1</b> · %2").arg(touch_where(*touch), touch_kind_word(touch->kind)));
    fill_what(*touch);
    stage_->clear();
    for (const TouchStage stage : stages_of(touch->kind)) stage_->addItem(stage_word(stage), int(stage));
    stage_->setCurrentIndex(stage_->findData(int(touch->stage)));
    fill_axes(*touch);
    for (int i = 0; i < 3; ++i) {
        degrees_[size_t(i)]->setValue(rad_to_deg(touch->turn_rad[i]));
        centimetres_[size_t(i)]->setValue(100.0 * touch->place_m[i]);
    }
    heading_->setValue(rad_to_deg(touch->turn_rad.y()));
    fill_poses(*touch);
    opening_->setValue(100.0 * touch->opening);
    replaces_->setChecked(touch->replaces);
    cut_off_->setValue(touch->cut_off_hz);
    keep_->setValue(100.0 * touch->keep);
    damp_by_->setCurrentIndex(touch->range_rad > 0.0 ? 1 : 0);
    range_->setValue(rad_to_deg(touch->range_rad));
    percent_->setValue(touch->percent);
    travel_->setChecked(touch->has_travel);
    ends_stay_->setChecked(touch->ends_stay);
    other_side_->setChecked(touch->has_other_side);
    whole_->setChecked(touch->when.is_whole);
    const std::array<double, 4> when{touch->when.from_s, touch->when.to_s, touch->when.arrive_s,
                                     touch->when.release_s};
    for (size_t i = 0; i < 4; ++i) when_[i]->setValue(when[i]);
    is_filling_ = false;
}

}  // namespace nb
