#include "app/stations/intake/things_form.hpp"

#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QSpinBox>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <array>
#include <cmath>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/number_box.hpp"
#include "app/work/playback.hpp"
#include "core/intake/along.hpp"
#include "core/intake/things.hpp"

namespace nb {

namespace {

QString holder_word(const std::string& held_by) {
    if (held_by == "left") return QObject::tr("the left hand takes it");
    if (held_by == "right") return QObject::tr("the right hand takes it");
    return held_by == "both" ? QObject::tr("both hands take it") : QObject::tr("it stands still");
}

/// The middle of what is shown of a thing, in its own frame.
Vec3 middle_of(const Loaded& take, const std::string& joint) {
    for (const Prop& prop : take.props) {
        if (prop.piece.joint != joint || !prop.rig) continue;
        Eigen::AlignedBox3d box;
        const Pose rest = rest_pose(prop.rig->skeleton);
        for (const Mesh& mesh : prop.rig->meshes)
            for (const Vec3& p : skin_vertices(mesh, rest)) box.extend(p);
        if (!box.isEmpty()) return box.center();
    }
    return Vec3::Zero();
}

}  // namespace

ThingsForm::ThingsForm(Playback& playback, QWidget* parent) : QWidget(parent), playback_(playback) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* put = word_button(
        tr("put a thing on the stage …"),
        tr("What the performer only mimed: a mesh that stands there, is taken by a hand and let go; "
           "hands hold it on every body. A mesh can be dropped on the window, too"),
        this);
    connect(put, &QToolButton::clicked, this, [this] {
        if (!take_) return;
        const QString folder =
            QFileInfo(QString::fromStdString(take_->file.character.rig.path)).absolutePath();
        const QString file = QFileDialog::getOpenFileName(this, tr("The mesh of the thing"), folder,
                                                          tr("meshes (*.glb *.gltf *.fbx *.dae *.obj)"));
        if (!file.isEmpty()) add(file);
    });
    auto* head = new QHBoxLayout;
    head->addWidget(put);
    head->addStretch(1);
    column->addLayout(head);
    rows_ = new QVBoxLayout;
    rows_->setSpacing(6);
    column->addLayout(rows_);
}

void ThingsForm::change(const QString& text, const std::function<void(LoadOptions&)>& edit) {
    if (is_filling_ || !take_) return;
    LoadOptions now = options_;
    edit(now);
    if (now != options_) emit changed(now, text);
}

void ThingsForm::add(const QString& file, const std::optional<Vec3>& at_m) {
    if (!take_ || !take_->file.take) return;
    StageThing thing;
    thing.file = kept_along(take_->file.character.rig.path, file.toStdString());
    thing.from_s = time_at(playback_.frame());
    thing.to_s = time_at(take_->file.take->frames - 1);
    // Where it was dropped, else ahead of the body, where it is now.
    const int hips = take_->file.character.roles.joint("hips");
    if (at_m) {
        thing.at_m = *at_m;
    } else if (hips >= 0) {
        const Pose pose = pose_at(take_->file.character.rig.skeleton, *take_->file.take, playback_.frame());
        const RestAlignment& rest = take_->file.character.rest;
        Vec3 ahead = Vec3::UnitZ();
        if (rest.is_there()) ahead = pose.R[size_t(hips)] * rest.R_WJ0[size_t(hips)].conjugate() * ahead;
        ahead.y() = 0.0;
        thing.at_m = pose.p[size_t(hips)];
        thing.at_m.y() = 0.0;
        if (ahead.norm() > 1e-6) thing.at_m += 0.6 * ahead.normalized();
    }
    in_hand_ = int(options_.things.size());
    change(tr("a thing on the stage"), [&](LoadOptions& options) { options.things.push_back(thing); });
}

void ThingsForm::take_in_hand(int thing) {
    in_hand_ = thing;
    fill();
    emit in_hand_changed();
}

void ThingsForm::move_by(const Vec3& by_m) {
    if (in_hand_ < 0 || in_hand_ >= int(options_.things.size())) return;
    change(tr("where a thing stands"),
           [&](LoadOptions& options) { options.things[size_t(in_hand_)].at_m += by_m; });
}

int ThingsForm::frame_at(double t_s) const {
    return nb::frame_at(*take_->file.take, t_s);
}
double ThingsForm::time_at(int frame) const {
    return take_->file.take->start_s + frame * take_->file.take->frame_time_s;
}

void ThingsForm::bring_to_hand(size_t i) {
    const auto& names = take_->file.character.rig.facts.things;
    if (i >= names.size()) return;
    change(tr("a thing into the hand"), [&](LoadOptions& options) {
        StageThing& thing = options.things[i];
        thing.from_s = time_at(playback_.frame());
        if (thing.to_s <= thing.from_s) thing.to_s = time_at(take_->file.take->frames - 1);
        thing = brought_to_hand(take_->file, thing, middle_of(*take_, names[i]), thing.from_s);
    });
}

void ThingsForm::show_take(const LoadedPtr& take) {
    take_ = take && take->file.take ? take : nullptr;
    options_ = take_ ? take_->file.character.rig.options : LoadOptions();
    if (in_hand_ >= int(options_.things.size())) in_hand_ = -1;
    fill();
}

QWidget* ThingsForm::row_of(size_t i) {
    const StageThing& thing = options_.things[i];
    auto* row = new QWidget(rows_box_);
    auto* column = new QVBoxLayout(row);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(3);
    const auto& names = take_->file.character.rig.facts.things;
    const QString name = QString::fromStdString(i < names.size() ? names[i] : thing.file);
    auto* head = new QHBoxLayout;
    head->setSpacing(6);
    auto* word = new QLabel(QString("<b>%1</b>").arg(name.toHtmlEscaped()), row);
    word->setToolTip(QString::fromStdString(thing.file));
    head->addWidget(word, 1);
    auto* arms = word_button(tr("arms on the stage"),
                             tr("Drags it by three arms and a knob; once more: without them"), row, true);
    arms->setChecked(in_hand_ == int(i));
    connect(arms, &QToolButton::clicked, this, [this, i](bool on) { take_in_hand(on ? int(i) : -1); });
    head->addWidget(arms);
    auto* out = new QToolButton(row);
    out->setObjectName("bare");
    out->setIcon(icon("x"));
    out->setToolTip(tr("Off the stage; its file stays"));
    out->setAccessibleName(tr("take the thing off the stage"));
    out->setFocusPolicy(Qt::TabFocus);
    connect(out, &QToolButton::clicked, this, [this, i] {
        // Those behind it move up.
        if (in_hand_ >= int(i)) in_hand_ = in_hand_ == int(i) ? -1 : in_hand_ - 1;
        change(tr("a thing off the stage"), [i](LoadOptions& options) {
            options.things.erase(options.things.begin() + std::ptrdiff_t(i));
        });
    });
    head->addWidget(out);
    column->addLayout(head);

    auto* place = new Flow(6);
    const auto number = [&](const QString& label, const QString& tip, double least, double most, int decimals,
                            const QString& unit, double value, auto set) {
        auto* box = number_box(label, tip, least, most, decimals, unit, row);
        when_scaled(box, [box] { box->setFixedWidth(scaled(74)); });
        box->setValue(value);
        connect(box, &QDoubleSpinBox::valueChanged, this, [this, i, set](double now) {
            change(tr("where a thing stands"), [&](LoadOptions& options) { set(options.things[i], now); });
        });
        return labelled(label, box, row);
    };
    const std::array<QString, 3> axes{tr("x"), tr("y"), tr("z")};
    for (int axis = 0; axis < 3; ++axis)
        place->addWidget(number(axes[size_t(axis)], tr("Where it stands in the take's world; y is up"), -1e5,
                                1e5, 1, tr(" cm"), 100.0 * thing.at_m[axis],
                                [axis](StageThing& one, double cm) { one.at_m[axis] = 0.01 * cm; }));
    place->addWidget(number(tr("turn"), tr("About up"), -360, 360, 1, tr("°"), thing.turn_deg,
                            [](StageThing& one, double deg) { one.turn_deg = deg; }));
    column->addLayout(place);

    auto* held = new Flow(6);
    auto* who = new QComboBox(row);
    who->setAccessibleName(tr("who takes it"));
    for (const std::string& holder : thing_holders())
        who->addItem(holder_word(holder), QString::fromStdString(holder));
    who->setCurrentIndex(std::max(0, who->findData(QString::fromStdString(thing.held_by))));
    connect(who, &QComboBox::activated, this, [this, who, i] {
        change(tr("who takes a thing"), [&](LoadOptions& options) {
            options.things[i].held_by = who->currentData().toString().toStdString();
        });
    });
    held->addWidget(who);
    if (!thing.held_by.empty()) {
        const auto frame_box = [&](const QString& label, const QString& tip, int frame,
                                   double StageThing::*when) {
            auto* box = new QSpinBox(row);
            box->setAccessibleName(label);
            box->setToolTip(tip);
            box->setButtonSymbols(QAbstractSpinBox::NoButtons);
            box->setKeyboardTracking(false);
            box->setRange(0, take_->file.take->frames - 1);
            when_scaled(box, [box] { box->setFixedWidth(scaled(56)); });
            box->setValue(frame);
            connect(box, &QSpinBox::valueChanged, this, [this, i, when](int now) {
                change(tr("when a thing is taken"),
                       [&](LoadOptions& options) { options.things[i].*when = time_at(now); });
            });
            return labelled(label, box, row);
        };
        held->addWidget(frame_box(tr("from frame"), tr("There it is taken, where it stands then"),
                                  frame_at(thing.from_s), &StageThing::from_s));
        held->addWidget(
            frame_box(tr("to"), tr("There it is let go, and stays"),
                      thing.to_s > thing.from_s ? frame_at(thing.to_s) : take_->file.take->frames - 1,
                      &StageThing::to_s));
        auto* bring = word_button(
            tr("into the hand here"),
            tr("Its middle comes to where the hand is in the shown frame, and is taken from there on"), row);
        connect(bring, &QToolButton::clicked, this, [this, i] { bring_to_hand(i); });
        held->addWidget(bring);
    }
    column->addLayout(held);
    return row;
}

void ThingsForm::fill() {
    is_filling_ = true;
    // What a click of theirs leads here goes when it is over.
    if (rows_box_) rows_box_->deleteLater();
    rows_box_ = new QWidget(this);
    auto* rows = new QVBoxLayout(rows_box_);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(10);
    for (size_t i = 0; i < options_.things.size(); ++i) rows->addWidget(row_of(i));
    rows_->addWidget(rows_box_);
    rows_box_->setVisible(!options_.things.empty());
    is_filling_ = false;
}

}  // namespace nb
