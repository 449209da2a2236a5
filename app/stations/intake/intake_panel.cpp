#include "app/stations/intake/intake_panel.hpp"

#include <QComboBox>
#include <QFileInfo>
#include <QFrame>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QSpinBox>
#include <QToolButton>
#include <QUndoStack>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/look/look.hpp"
#include "app/look/number_box.hpp"
#include "app/stage/stage_view.hpp"
#include "app/stations/body_switch.hpp"
#include "app/stations/intake/along_form.hpp"
#include "app/stations/intake/things_form.hpp"
#include "app/work/commands.hpp"
#include "app/work/playback.hpp"
#include "core/body/measures.hpp"

namespace nb {

namespace {

QDoubleSpinBox* percent_box(QWidget* parent, const QString& name) {
    return number_box(name, QObject::tr("Length of %1; turns stay as recorded").arg(name), 20.0, 500.0, 1,
                      " %", parent);
}

/// Parts that are seldom changed: the word of the document, and as shown.
std::vector<std::pair<QString, QString>> parts_alone() {
    return {{"neck", QObject::tr("neck")},
            {"hands", QObject::tr("both hands")},
            {"arm.left", QObject::tr("left arm alone")},
            {"arm.right", QObject::tr("right arm alone")},
            {"leg.left", QObject::tr("left leg alone")},
            {"leg.right", QObject::tr("right leg alone")},
            {"hand.left", QObject::tr("left hand alone")},
            {"hand.right", QObject::tr("right hand alone")}};
}

double length_percent(const LoadOptions& options, const QString& part) {
    const auto at = options.lengths.find(part.toStdString());
    return at == options.lengths.end() ? 100.0 : 100.0 * at->second;
}

}  // namespace

IntakePanel::IntakePanel(Workspace& workspace, StageView& stage, Playback& playback, QUndoStack& undo,
                         QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage), playback_(playback), undo_(undo) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 14, 14, 12);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    which_ = new BodySwitch({tr("take's file"), tr("target's file")},
                            {tr("What is in the file of the take"), tr("What is in the file of the target")},
                            row, this);
    which_->show_body(false);
    connect(which_, &BodySwitch::chosen, this, &IntakePanel::show_body);
    row->addStretch();
    column->addLayout(row);
    holds_ = new QLabel(this);
    holds_->setWordWrap(true);
    column->addWidget(holds_);
    take_heading_ = new QLabel(tr("<b>What is used of it, and how long its limbs are</b>"), this);
    column->addWidget(take_heading_);
    take_box_ = new QWidget(this);
    auto* grid = new QGridLayout(take_box_);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(5);
    const auto frame_box = [&](const QString& name, const QString& tip) {
        auto* box = new QSpinBox(take_box_);
        box->setAccessibleName(name);
        box->setToolTip(tip);
        box->setKeyboardTracking(false);
        box->setButtonSymbols(QAbstractSpinBox::NoButtons);
        return box;
    };
    first_ =
        frame_box(tr("first frame"), tr("First frame of the file that is used; what is cut off stays in it"));
    last_ = frame_box(tr("last frame"), tr("Last frame of the file that is used"));
    fps_ = number_box(tr("frames a second"), tr("Resamples the take; its duration stays"), 0.1, 1000.0, 3, {},
                      take_box_);
    legs_ = percent_box(take_box_, tr("the legs"));
    arms_ = percent_box(take_box_, tr("the arms"));
    trunk_ = percent_box(take_box_, tr("the trunk"));
    const std::array<std::pair<QString, QWidget*>, 6> fields{{{tr("from frame"), first_},
                                                              {tr("to frame"), last_},
                                                              {tr("per second"), fps_},
                                                              {tr("legs"), legs_},
                                                              {tr("arms"), arms_},
                                                              {tr("trunk"), trunk_}}};
    for (size_t i = 0; i < fields.size(); ++i) {
        // Time on the left, the body on the right.
        grid->addWidget(new QLabel(fields[i].first, take_box_), int(i % 3), i < 3 ? 0 : 2);
        grid->addWidget(fields[i].second, int(i % 3), i < 3 ? 1 : 3);
    }
    part_ = new QComboBox(take_box_);
    part_->setAccessibleName(tr("a part alone"));
    part_->setToolTip(tr("A further part of the source's body that is made longer or shorter"));
    for (const auto& [part, name] : parts_alone()) part_->addItem(name, part);
    part_length_ = percent_box(take_box_, tr("the part alone"));
    grid->addWidget(part_, 3, 0, 1, 3);
    grid->addWidget(part_length_, 3, 3);
    connect(part_, &QComboBox::activated, this, &IntakePanel::show_part);
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    column->addWidget(take_box_);
    along_ = new AlongForm(this);
    connect(along_, &AlongForm::changed, this, &IntakePanel::change);
    column->addWidget(along_);
    things_ = new ThingsForm(playback_, this);
    connect(things_, &ThingsForm::changed, this, &IntakePanel::change);
    connect(things_, &ThingsForm::in_hand_changed, this, &IntakePanel::show_arms);
    connect(&stage_, &StageView::place_begun, this, [this] { dragged_m_ = Vec3::Zero(); });
    connect(&stage_, &StageView::placed, this, [this](int, const Vec3& by_m) { dragged_m_ = by_m; });
    connect(&stage_, &StageView::place_ended, this, &IntakePanel::end_drag);
    column->addWidget(things_);
    for (auto* box : {first_, last_})
        connect(box, &QSpinBox::editingFinished, this, &IntakePanel::set_by_hand);
    for (auto* box : {fps_, legs_, arms_, trunk_, part_length_})
        connect(box, &QDoubleSpinBox::editingFinished, this, &IntakePanel::set_by_hand);
    limber_ = new QPushButton(this);
    connect(limber_, &QPushButton::clicked, this, [this] {
        if (workspace_.is_limbering())
            workspace_.end_limbering();
        else
            workspace_.start_limbering();
    });
    column->addWidget(limber_);
    cards_box_ = new QWidget(this);
    cards_ = new QVBoxLayout(cards_box_);
    cards_->setContentsMargins(0, 4, 0, 4);
    cards_->setSpacing(8);
    column->addWidget(cards_box_);

    opened_heading_ = new QLabel(tr("<b>Opened beside the library</b>"), this);
    column->addWidget(opened_heading_);
    opened_ = new QListWidget(this);
    opened_->setAccessibleName(tr("Opened files"));
    opened_->setToolTip(tr("What each holds; a click takes it up"));
    opened_->setWordWrap(true);
    opened_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(opened_);
    connect(opened_, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) {
        const bool is_rig = item->data(Qt::UserRole).toBool();
        const int index = item->data(Qt::UserRole + 1).toInt();
        is_rig ? workspace_.choose_target(index) : workspace_.choose_take(index);
        show_body(is_rig);
    });
    connect(&workspace_, &Workspace::choices_changed, this, &IntakePanel::refresh_opened);
    refresh_opened();
    column->addStretch(1);
    for (const auto signal :
         {&Workspace::source_changed, &Workspace::target_changed, &Workspace::limbering_changed})
        connect(&workspace_, signal, this, &IntakePanel::refresh);
    refresh();
}

void IntakePanel::show_body(bool of_target) {
    is_of_target_ = of_target;
    which_->show_body(of_target);
    refresh();
    emit body_shown(of_target);
}

void IntakePanel::refresh_opened() {
    opened_->clear();
    for (const bool is_rig : {false, true}) {
        const auto& list = is_rig ? workspace_.targets() : workspace_.takes();
        for (size_t i = 0; i < list.size(); ++i) {
            if (list[i].is_of_library) continue;
            const QString name = list[i].name + (is_rig ? tr(", a rig") : tr(", a take"));
            auto* item =
                new QListWidgetItem(list[i].holds.isEmpty() ? name : name + ": " + list[i].holds, opened_);
            item->setData(Qt::UserRole, is_rig);
            item->setData(Qt::UserRole + 1, int(i));
        }
    }
    const int count = opened_->count();
    opened_->setVisible(count > 0);
    opened_heading_->setVisible(count > 0);
    opened_->setFixedHeight(scaled(std::clamp(count * 38 + 6, 44, 160)));
}

const std::vector<Finding>& IntakePanel::findings_of(bool of_target) const {
    Found& found = found_[of_target ? 1 : 0];
    const LoadedPtr loaded = workspace_.body(of_target);
    const LoadedPtr partner = of_target ? workspace_.source() : nullptr;
    if (found.file == loaded && found.partner == partner) return found.findings;
    found = {loaded, partner, {}};
    if (loaded) found.findings = find_in(loaded->file, partner ? &partner->file.character : nullptr);
    return found.findings;
}

int IntakePanel::open_points() const {
    int open = 0;
    for (const bool of_target : {false, true})
        for (const Finding& finding : findings_of(of_target)) open += finding.state == Finding::State::open;
    return open;
}

void IntakePanel::change(const LoadOptions& options, const QString& text) {
    if (!workspace_.body(is_of_target_)) return;
    undo_.push(new ChangeIntake(workspace_, is_of_target_, options, text));
}

void IntakePanel::refresh() {
    const LoadedPtr loaded = workspace_.body(is_of_target_);
    findings_ = findings_of(is_of_target_);
    while (QLayoutItem* item = cards_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    limber_->setVisible(is_of_target_ || workspace_.is_limbering());
    limber_->setEnabled(workspace_.target() != nullptr);
    limber_->setText(workspace_.is_limbering() ? tr("back to the take")
                                               : tr("play the limbering take on it"));
    limber_->setToolTip(
        workspace_.is_limbering()
            ? tr("Nothing of the limbering stays but its review")
            : tr("One joint after the other, each side: shows whether bones and skin work. Its "
                 "review is kept as the rig's certificate; nothing else stays"));
    const bool has_take = loaded && loaded->file.take && !is_of_target_;
    take_box_->setVisible(has_take);
    along_->setVisible(has_take);
    things_->setVisible(has_take);
    things_->show_take(has_take ? loaded : nullptr);
    show_arms();
    take_heading_->setVisible(has_take);
    if (!loaded) {
        holds_->setText(is_of_target_ ? tr("There is no target yet: drop a rig on the window.")
                                      : tr("There is no take yet: drop a motion file on the window."));
        return;
    }
    const LoadedFile& file = loaded->file;
    const Rig& rig = file.character.rig;
    QString holds = tr("<b>%1</b>: %2 bones")
                        .arg(QFileInfo(QString::fromStdString(rig.path)).fileName())
                        .arg(rig.skeleton.size());
    if (!rig.meshes.empty()) holds += tr(", a skin");
    if (file.take) holds += tr(", %1 frames").arg(file.file_frames);
    const auto open = std::count_if(findings_.begin(), findings_.end(),
                                    [](const Finding& f) { return f.state == Finding::State::open; });
    holds += open == 0 ? tr(". Nothing to decide.") : tr(". %1 to decide.").arg(open);
    holds_->setText(holds);
    for (const Finding& finding : findings_) cards_->addWidget(card_of(finding));
    if (!has_take) return;
    const LoadOptions& options = rig.options;
    along_->show_take(rig.path, options);
    const std::array<QSignalBlocker, 6> blockers{QSignalBlocker(first_), QSignalBlocker(last_),
                                                 QSignalBlocker(fps_),   QSignalBlocker(legs_),
                                                 QSignalBlocker(arms_),  QSignalBlocker(trunk_)};
    for (auto* box : {first_, last_}) box->setRange(0, std::max(0, file.file_frames - 1));
    first_->setValue(options.trim_first);
    last_->setValue((options.trim_last > 0 ? options.trim_last : file.file_frames) - 1);
    fps_->setValue(options.fps.value_or(file.file_fps));
    legs_->setValue(length_percent(options, "legs"));
    arms_->setValue(length_percent(options, "arms"));
    trunk_->setValue(length_percent(options, "trunk"));
    // A part that was changed alone is shown first.
    for (int i = 0; i < part_->count() && length_percent(options, part_->currentData().toString()) == 100.0;
         ++i)
        if (length_percent(options, part_->itemData(i).toString()) != 100.0) part_->setCurrentIndex(i);
    show_part();
}

void IntakePanel::put_thing(const QString& path, const std::optional<Vec3>& at_m) {
    show_body(false);
    things_->add(path, at_m);
}

void IntakePanel::set_entered(bool on) {
    is_entered_ = on;
    if (on) return show_arms();
    stage_.cancel_turn();
    stage_.set_place_handle(false);
}

void IntakePanel::show_arms() {
    const LoadedPtr take = workspace_.body(false);
    const int thing = is_entered_ && !is_of_target_ && take ? things_->in_hand() : -1;
    const auto& things = take ? take->file.character.rig.facts.things : std::vector<std::string>();
    const bool has_arms = thing >= 0 && thing < int(things.size());
    if (has_arms) stage_.select(false, take->file.character.rig.skeleton.find(things[size_t(thing)]));
    if (has_arms || is_entered_) stage_.set_place_handle(has_arms, Quat::Identity(), !has_arms);
}

void IntakePanel::end_drag(bool is_kept) {
    const LoadedPtr take = workspace_.body(false);
    if (!is_entered_ || !is_kept || things_->in_hand() < 0 || !take) return;
    // In a hand it is dragged where that is now: where it was taken is told in the axes of then.
    const LoadOptions& options = take->file.character.rig.options;
    const Pose pose = pose_at(take->file.character.rig.skeleton, *take->file.take, playback_.frame());
    const size_t joint = size_t(stage_.selected_joint());
    const StageThing& thing = options.things[size_t(things_->in_hand())];
    const Quat taken = exp_rotation(deg_to_rad(thing.turn_deg) * Vec3::UnitY());
    things_->move_by(taken * (pose.R[joint].conjugate() * dragged_m_));
}

void IntakePanel::show_part() {
    const LoadedPtr loaded = workspace_.body(false);
    if (!loaded) return;
    const QSignalBlocker blocker(part_length_);
    part_length_->setValue(
        length_percent(loaded->file.character.rig.options, part_->currentData().toString()));
}

QWidget* IntakePanel::card_of(const Finding& finding) {
    auto* card = new QFrame(cards_box_);
    card->setObjectName("card");
    auto* column = new QVBoxLayout(card);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(2);
    const bool is_open = finding.state == Finding::State::open;
    auto* head = new QHBoxLayout;
    head->setSpacing(6);
    auto* what = new QLabel(card);
    what->setWordWrap(true);
    QString sentence = QString::fromStdString(finding.what);
    if (!sentence.startsWith('\'') && finding.joints.empty()) sentence[0] = sentence[0].toUpper();
    // A notch is what asks for attention, here as on the rails.
    what->setText(
        (is_open ? QString::fromUtf8("<b>\u2228 %1</b>") : QString("%1")).arg(sentence.toHtmlEscaped()));
    head->addWidget(what, 1);
    column->addLayout(head);
    const auto button = [&](const QString& text, const QString& tip) {
        auto* made = new QPushButton(text, card);
        made->setToolTip(tip);
        made->setFocusPolicy(Qt::TabFocus);
        return made;
    };
    if (!finding.frames.empty() && !is_of_target_) {
        auto* go = button(tr("go there"), tr("To the next place of it"));
        connect(go, &QPushButton::clicked, this, [this, finding] {
            const auto next =
                std::upper_bound(finding.frames.begin(), finding.frames.end(), playback_.frame());
            const size_t at = next == finding.frames.end() ? 0 : size_t(next - finding.frames.begin());
            playback_.play(false);
            playback_.go_to(finding.frames[at]);
            if (at < finding.joints.size() && finding.joints.size() == finding.frames.size())
                stage_.select(false, finding.joints[at]);
        });
        head->addWidget(go, 0, Qt::AlignTop);
    } else if (!finding.joints.empty()) {
        auto* show = button(tr("show"), tr("Selects the next of its bones on the body"));
        connect(show, &QPushButton::clicked, this, [this, finding] {
            const auto at = std::find(finding.joints.begin(), finding.joints.end(), stage_.selected_joint());
            const bool is_last = at == finding.joints.end() || at + 1 == finding.joints.end();
            stage_.select(is_of_target_, is_last ? finding.joints.front() : *(at + 1));
        });
        head->addWidget(show, 0, Qt::AlignTop);
    }
    if (!finding.choices.empty()) {
        auto* other = button(tr("other"), tr("Other values that may be right"));
        auto* menu = new QMenu(other);
        for (const auto& [name, options] : finding.choices) {
            const QString text = QString::fromStdString(name);
            connect(menu->addAction(text), &QAction::triggered, this,
                    [this, options = options, text, kind = QString::fromStdString(finding.kind)] {
                        change(options, kind + ": " + text);
                    });
        }
        other->setMenu(menu);
        head->addWidget(other, 0, Qt::AlignTop);
    }
    if (!finding.cure_by.empty() && !is_of_target_ && !workspace_.pairing_key().is_empty()) {
        auto* cure = button(QString::fromStdString(finding.cure),
                            tr("As a touch-up of this take on this target; the station Touch-up shows it"));
        connect(cure, &QPushButton::clicked, this, [this, finding] {
            const QString text = QString::fromStdString(finding.cure);
            undo_.beginMacro(text);
            for (const TouchUp& touch : finding.cure_by) add_cure(workspace_, undo_, text, touch);
            undo_.endMacro();
        });
        head->addWidget(cure, 0, Qt::AlignTop);
    }
    if (!finding.evidence.empty()) {
        auto* evidence = new QLabel(QString::fromStdString(finding.evidence), card);
        evidence->setWordWrap(true);
        evidence->setProperty("dim", true);
        column->addWidget(evidence);
    }
    if (!finding.repair.empty()) {
        auto* row = new QHBoxLayout;
        row->setSpacing(6);
        const QString text = QString::fromStdString(finding.repair);
        auto* repair = button(is_open ? tr("repair") : tr("undo"), text);
        repair->setAccessibleName(text);
        connect(repair, &QPushButton::clicked, this,
                [this, options = finding.repaired, text] { change(options, text); });
        row->addWidget(repair, 0, Qt::AlignTop);
        auto* about = new QLabel(text, card);
        about->setWordWrap(true);
        row->addWidget(about, 1);
        column->addLayout(row);
    }
    return card;
}

void IntakePanel::set_by_hand() {
    const LoadedPtr loaded = workspace_.body(false);
    if (!loaded || is_of_target_) return;
    const LoadedFile& file = loaded->file;
    LoadOptions options = file.character.rig.options;
    options.trim_first = std::min(first_->value(), last_->value());
    const int last = std::max(first_->value(), last_->value()) + 1;
    options.trim_last = last >= file.file_frames ? 0 : last;
    const double own = file.file_fps;
    options.fps.reset();
    if (std::abs(fps_->value() - own) > 0.0006) options.fps = fps_->value();
    const std::string alone = part_->currentData().toString().toStdString();
    for (const auto& [part, box] : {std::pair<std::string, QDoubleSpinBox*>{"legs", legs_},
                                    {"arms", arms_},
                                    {"trunk", trunk_},
                                    {alone, part_length_}}) {
        if (std::abs(box->value() - 100.0) < 0.05)
            options.lengths.erase(part);
        else
            options.lengths[part] = 0.01 * box->value();
    }
    if (options == file.character.rig.options) return;
    const LoadOptions& before = file.character.rig.options;
    change(options, options.lengths != before.lengths ? tr("re-proportion the source")
                    : options.fps != before.fps       ? tr("resample the take")
                                                      : tr("trim the take"));
}

}  // namespace nb
