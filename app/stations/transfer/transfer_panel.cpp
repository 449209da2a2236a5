#include "app/stations/transfer/transfer_panel.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QUndoStack>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stations/transfer/event_desk.hpp"
#include "app/work/commands.hpp"
#include "core/body/lines.hpp"
#include "core/motion/heading.hpp"

namespace nb {

namespace {

QLabel* figure(QWidget* parent) {
    auto* label = new QLabel("–", parent);
    label->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    return label;
}

}  // namespace

TransferPanel::TransferPanel(Workspace& workspace, Playback& playback, QUndoStack& undo, EventDesk& desk,
                             QWidget* parent)
    : QWidget(parent), workspace_(workspace), playback_(playback), desk_(desk), undo_(undo) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 14, 14, 12);
    column->setSpacing(6);

    auto* head = new QHBoxLayout;
    head->addWidget(heading_label(tr("How well it arrives"), this));
    head->addStretch();
    pin_ = new QPushButton(tr("pin"), this);
    pin_->setObjectName("small");
    connect(pin_, &QPushButton::clicked, this, &TransferPanel::toggle_pin);
    head->addWidget(pin_);
    column->addLayout(head);
    auto* figures = new QGridLayout;
    figures->setHorizontalSpacing(6);
    figures->setVerticalSpacing(3);
    figures->addWidget(dim_label(tr("95 % of frames"), this), 0, 0);
    figures->addWidget(dim_label(tr("take"), this), 0, 1, Qt::AlignRight);
    figures->addWidget(dim_label(tr("here"), this), 0, 2, Qt::AlignRight);
    figures->addWidget(pinned_head_ = dim_label(tr("pinned"), this), 0, 3, Qt::AlignRight);
    const std::array<std::tuple<QString, QString, ReviewMeasure>, 6> rows{
        {{tr("foot slide, cm/s"),
          tr("Horizontal speed of a resting foot, for a body of 175 cm; beside it the capture's own"),
          ReviewMeasure::slide},
         {tr("held off floor, cm"), tr("Height of a resting heel or ball over the floor it rests on"),
          ReviewMeasure::height},
         {tr("below floor, cm"), tr("Deepest heel, ball or toe tip; the largest of all frames"),
          ReviewMeasure::below},
         {tr("tip beside, cm"),
          tr("Hand or ankle beside where the source's is, in the limb's own scale; worst limb"),
          ReviewMeasure::tip},
         {tr("direction of bones, °"), tr("Angle between the same bone of source and target; worst bone"),
          ReviewMeasure::direction},
         {tr("pops"),
          tr("Changes of a bone's turning from one frame to the next that the source does not make"),
          ReviewMeasure::turn_change}}};
    for (int i = 0; i < int(rows.size()); ++i) {
        const auto& [name, tip, measure] = rows[size_t(i)];
        auto* go = new QPushButton(name, this);
        go->setObjectName("bare");
        go->setStyleSheet(
            "QPushButton#bare { text-align: left; padding: 2px 0; border: none; } QPushButton#bare:hover, "
            "QPushButton#bare:focus { text-decoration: underline; }");
        go->setToolTip(tip + tr("\nClick: go to the worst frame"));
        go->setCursor(Qt::PointingHandCursor);
        connect(go, &QPushButton::clicked, this, [this, m = measure] { emit worst_wanted(m); });
        figures->addWidget(go, i + 1, 0);
        figures->addWidget(source_figures_[size_t(i)] = figure(this), i + 1, 1);
        figures->addWidget(target_figures_[size_t(i)] = figure(this), i + 1, 2);
        figures->addWidget(pinned_figures_[size_t(i)] = figure(this), i + 1, 3);
    }
    figures->setColumnStretch(0, 1);
    figures->setColumnMinimumWidth(1, 30);
    figures->setColumnMinimumWidth(2, 38);
    column->addLayout(figures);
    column->addWidget(pinned_words_ = dim_label({}, this));
    auto* verdict = new QHBoxLayout;
    verdict->addWidget(dim_label(tr("verdict"), this));
    verdict_ = new QComboBox(this);
    verdict_->addItems({tr("not said yet"), tr("accepted"), tr("to polish"), tr("back to capture")});
    verdict_->setAccessibleName(tr("verdict"));
    verdict_->setToolTip(tr("What becomes of this take on this target; kept with the pair"));
    verdict_->setFocusPolicy(Qt::StrongFocus);
    connect(verdict_, &QComboBox::activated, this, [this](int index) { desk_.set_verdict(Verdict(index)); });
    verdict->addWidget(verdict_, 1);
    column->addLayout(verdict);
    note_ = new QLineEdit(this);
    note_->setPlaceholderText(tr("why"));
    note_->setAccessibleName(tr("note on the verdict"));
    connect(note_, &QLineEdit::editingFinished, this, [this] { desk_.set_note(note_->text()); });
    column->addWidget(note_);
    column->addSpacing(10);

    column->addWidget(falls_short_ = heading_label(tr("Where it falls short"), this));
    event_list_ = new QLabel(this);
    event_list_->setWordWrap(true);
    event_list_->setTextFormat(Qt::RichText);
    event_list_->setAccessibleName(tr("where it falls short"));
    connect(event_list_, &QLabel::linkActivated, this, [this](const QString& link) {
        if (link == "list") return emit events_wanted();
        const QStringList parts = link.split(':');
        if (parts.size() > 1)
            desk_.remedy(parts[0].toInt(), parts[1].toInt());
        else
            desk_.go_to(parts[0].toInt());
    });
    column->addWidget(event_list_);
    column->addSpacing(10);
    column->addWidget(heading_label(tr("What carries it"), this));
    auto* passes = new QGridLayout;
    passes->setVerticalSpacing(3);
    auto* moves = dim_label(tr("moves this frame by"), this);
    moves->setWordWrap(false);
    passes->addWidget(moves, 0, 0, 1, 2, Qt::AlignRight);
    for (int i = 0; i < int(pass_table.size()); ++i) {
        auto*& box = passes_[size_t(i)] = new QCheckBox(tr(pass_table[size_t(i)].name), this);
        box->setToolTip(tr(pass_table[size_t(i)].does) + tr("\nLeave it out to see what it does"));
        passes->addWidget(box, i + 1, 0);
        passes->addWidget(distances_[size_t(i)] = figure(this), i + 1, 1);
        connect(box, &QCheckBox::clicked, this, [this, i](bool on) {
            const QString name = passes_[size_t(i)]->text();
            change(on ? tr("run the pass %1").arg(name) : tr("leave out the pass %1").arg(name), -1,
                   [i, on](PairingSettings& s) { s.passes.*pass_table[size_t(i)].is_on = on; });
        });
    }
    column->addLayout(passes);
    column->addWidget(reaches_ = dim_label({}, this));
    reaches_->setAccessibleName(tr("which limb's reach moves which bone"));
    column->addSpacing(10);

    column->addWidget(heading_label(tr("How far it travels"), this));
    auto* map = new QGridLayout;
    by_legs_ = new QCheckBox(tr("as the legs: ×"), this);
    by_legs_->setToolTip(
        tr("Distances over the floor grow with the length of the legs; off: by a number of your own"));
    scale_ = new QDoubleSpinBox(this);
    scale_->setDecimals(3);
    scale_->setRange(0.05, 20.0);
    scale_->setSingleStep(0.01);
    scale_->setKeyboardTracking(false);
    scale_->setAccessibleName(tr("travel factor"));
    scale_->setFocusPolicy(Qt::StrongFocus);
    map->addWidget(by_legs_, 0, 0);
    map->addWidget(scale_, 0, 1);
    map->setColumnStretch(0, 1);
    on_root_ = new QCheckBox(tr("travel on the root bone"), this);
    add_map_centre(*map);
    map->addWidget(on_root_, 3, 0, 1, 2);
    connect(on_root_, &QCheckBox::clicked, this, [this](bool on) {
        change(on ? tr("travel on the root bone") : tr("travel on the hips"), -1,
               [on](PairingSettings& s) { s.has_root_track = on; });
    });
    column->addLayout(map);
    connect(by_legs_, &QCheckBox::clicked, this, [this](bool on) {
        const double now = scale_->value();
        change(on ? tr("travel as the legs") : tr("travel by a number"), -1, [on, now](PairingSettings& s) {
            if (on)
                s.scale.reset();
            else
                s.scale = now;
        });
    });
    connect(scale_, &QDoubleSpinBox::valueChanged, this,
            [this](double v) { change(tr("travel factor"), 1, [v](PairingSettings& s) { s.scale = v; }); });
    level_ = dim_label({}, this);
    column->addWidget(level_);
    column->addSpacing(10);
    notes_ = dim_label({}, this);
    column->addWidget(notes_);
    column->addStretch();

    connect(&workspace_, &Workspace::settings_changed, this, [this] {
        refresh_settings();
        refresh_distances();
    });
    // While it plays, numbers that change with every frame cannot be read: five a second do.
    unread_.setSingleShot(true);
    unread_.setInterval(200);
    connect(&unread_, &QTimer::timeout, this, &TransferPanel::refresh_distances);
    connect(&playback_, &Playback::frame_changed, this, [this] {
        if (!playback_.is_playing()) return refresh_distances();
        if (!unread_.isActive()) unread_.start();
    });
    connect(&workspace_, &Workspace::review_changed, this, &TransferPanel::refresh_review);
    connect(&workspace_, &Workspace::result_changed, this, &TransferPanel::refresh_settings);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, &TransferPanel::refresh_review);
    connect(&workspace_, &Workspace::pin_changed, this, &TransferPanel::refresh_pinned);
    connect(&desk_, &EventDesk::changed, this, [this] {
        refresh_events();
        refresh_verdict();
    });
    refresh_pinned();
    refresh_settings();
}

void TransferPanel::change(const QString& text, int topic,
                           const std::function<void(PairingSettings&)>& edit) {
    change_settings(workspace_, undo_, text, topic, edit);
}

/// What stays in its place when distances are scaled.
void TransferPanel::add_map_centre(QGridLayout& map) {
    about_ = new QComboBox(this);
    about_->addItems({tr("where it begins"), tr("the origin of its file"), tr("a place")});
    about_->setAccessibleName(tr("what stays in its place"));
    about_->setToolTip(
        tr("Distances over the floor are scaled about it: there source and target stand on the same spot"));
    map.addWidget(new QLabel(tr("from"), this), 1, 0);
    map.addWidget(about_, 1, 1);
    auto* place = new QHBoxLayout;
    for (size_t i = 0; i < about_cm_.size(); ++i) {
        about_cm_[i] = new QDoubleSpinBox(this);
        about_cm_[i]->setDecimals(1);
        about_cm_[i]->setRange(-1e6, 1e6);
        about_cm_[i]->setSingleStep(10.0);
        about_cm_[i]->setPrefix(i == 0 ? tr("x ") : tr("z "));
        about_cm_[i]->setSuffix(tr(" cm"));
        about_cm_[i]->setKeyboardTracking(false);
        about_cm_[i]->setAccessibleName(i == 0 ? tr("the place, x") : tr("the place, z"));
        about_cm_[i]->setFocusPolicy(Qt::StrongFocus);
        place->addWidget(about_cm_[i]);
        connect(about_cm_[i], &QDoubleSpinBox::valueChanged, this, [this, i](double cm) {
            change(tr("scale about a place"), 2,
                   [i, cm](PairingSettings& s) { s.about.at_m[i == 0 ? 0 : 2] = 0.01 * cm; });
        });
    }
    map.addLayout(place, 2, 0, 1, 2);
    connect(about_, &QComboBox::activated, this, [this](int at) {
        MapCentre about{MapCentre::Kind(at)};
        // A place starts where the body is now.
        if (const auto result = workspace_.result(); result && about.kind == MapCentre::Kind::place) {
            const WorldMotion& motion = result->source;
            const int frame = std::clamp(playback_.frame(), 0, motion.frames - 1);
            const LoadedPtr source = workspace_.source();
            if (source) about.at_m = hip_centre(motion, lines_of(source->file.character.roles), frame);
            about.at_m = {0.001 * std::round(1000.0 * about.at_m.x()), 0.0,
                          0.001 * std::round(1000.0 * about.at_m.z())};
        }
        change(tr("scale about %1").arg(about_->itemText(at)), -1,
               [about](PairingSettings& s) { s.about = about; });
    });
}

void TransferPanel::refresh_map_centre() {
    const MapCentre& about = workspace_.settings().about;
    about_->setCurrentIndex(int(about.kind));
    for (size_t i = 0; i < about_cm_.size(); ++i) {
        const QSignalBlocker blocker(about_cm_[i]);
        about_cm_[i]->setVisible(about.kind == MapCentre::Kind::place);
        about_cm_[i]->setValue(100.0 * about.at_m[i == 0 ? 0 : 2]);
    }
}

void TransferPanel::refresh_settings() {
    const PairingSettings& s = workspace_.settings();
    const bool has_pair = !workspace_.pairing_key().is_empty();
    setEnabled(has_pair);
    const Plan* plan = workspace_.plan();
    for (size_t i = 0; i < pass_table.size(); ++i) {
        passes_[i]->setChecked(s.passes.*pass_table[i].is_on);
        passes_[i]->setEnabled(plan && can_run(pass_table[i], plan->program));
    }
    const LoadedPtr target = workspace_.target();
    const bool has_root = target && target->file.character.roles.joint("root") >= 0;
    on_root_->setEnabled(has_root);
    on_root_->setChecked(has_root && s.has_root_track);
    on_root_->setToolTip(
        has_root ? tr("Place on the floor and heading go onto the root bone, the hips keep what is "
                      "left: together they are the same motion")
                 : tr("This rig has no root bone above its hips"));
    const QSignalBlocker blocker(scale_);
    by_legs_->setChecked(!s.scale);
    scale_->setEnabled(s.scale.has_value());
    const auto result = workspace_.result();
    if (s.scale)
        scale_->setValue(*s.scale);
    else if (result)
        scale_->setValue(result->plan.program.map.k);
    refresh_map_centre();
    // Touch-ups are told in their own station.
    PairingSettings of_passes = s;
    of_passes.touches.clear();
    of_passes.take_touches.clear();
    level_->setText(of_passes == PairingSettings() ? tr("All as the body plan has it.")
                                                   : tr("Set for this pair: source and target together."));
    QString notes;
    if (result) {
        QStringList lines;
        for (const auto& note : notes_of(*result)) lines << QString::fromStdString(note);
        if (!lines.isEmpty()) {
            notes = tr("Of note: ") + lines.mid(0, 3).join("; ") +
                    (lines.size() > 3 ? tr("; and %1 more.").arg(lines.size() - 3) : ".");
            notes_->setToolTip(lines.join("\n"));
        }
    }
    notes_->setText(notes);
}

void TransferPanel::refresh_distances() {
    if (!isVisible()) return;
    const PassEffects effects = workspace_.pass_effects(playback_.frame());
    for (size_t i = 0; i < pass_table.size(); ++i) {
        const PassRow& pass = pass_table[i];
        const bool is_idle = (pass.turns || pass.acts) && !passes_[i]->isEnabled();
        distances_[i]->setText(is_idle      ? tr(pass.idle)
                               : pass.turns ? tr("%1°").arg(effects[i], 0, 'f', 1)
                                            : tr("%1 cm").arg(effects[i], 0, 'f', 1));
    }
    refresh_reaches();
}

void TransferPanel::refresh_reaches() {
    constexpr int most_bones = 2;
    struct Limb {
        std::string name;
        double most_cm = 0.0;
        QStringList bones, all;
    };
    std::vector<Limb> limbs;
    const LoadedPtr target = workspace_.target();
    if (target)
        for (const ReachEffect& effect : workspace_.reach_effects(playback_.frame())) {
            if (limbs.empty() || limbs.back().name != effect.limb)
                limbs.push_back({effect.limb, effect.cm, {}, {}});
            const Character& c = target->file.character;
            const std::string role = c.roles.role_of(effect.joint);
            const QString bone = QString::fromStdString(c.rig.skeleton.names[size_t(effect.joint)]);
            const QString moved = tr("%1 cm").arg(effect.cm, 0, 'f', 1);
            limbs.back().all << bone + " " + moved;
            if (!role.empty() && limbs.back().bones.size() < most_bones)
                limbs.back().bones << QString::fromStdString(role_part(role)) + " " + moved;
        }
    std::sort(limbs.begin(), limbs.end(), [](const Limb& a, const Limb& b) { return a.most_cm > b.most_cm; });
    QStringList lines, tips;
    for (const Limb& limb : limbs) {
        const QString words = QString::fromStdString(limb.name);
        const QString name = words.section('.', 1) + " " + words.section('.', 0, 0);
        lines << tr("%1: %2").arg(name, limb.bones.join(", "));
        tips << tr("%1 moves %2").arg(name, limb.all.join(", "));
    }
    reaches_->setVisible(!lines.isEmpty());
    reaches_->setText(tr("Reach moves here: ") + lines.join(QString::fromUtf8(" · ")));
    reaches_->setToolTip(tips.join("\n"));
}

void TransferPanel::refresh_events() {
    constexpr size_t most = 3;
    const auto& events = desk_.events();
    if (!workspace_.review() || workspace_.pairing_key().is_empty()) {
        falls_short_->setText(tr("Where it falls short"));
        event_list_->setText({});
        return;
    }
    const auto link = [](const QString& to, const QString& words) { return link_to(to, words, look().text); };
    const auto paragraph = [](const QString& html) {
        return QString("<p style=\"margin:0 0 5px 0; color:%1\">%2</p>").arg(look().dim.name(), html);
    };
    const int open = desk_.open_count();
    falls_short_->setText(events.empty()
                              ? tr("Where it falls short")
                              : tr("Where it falls short: %1 open of %2").arg(open).arg(events.size()));
    QStringList lines;
    for (size_t i = 0; i < events.size() && lines.size() < qsizetype(most); ++i) {
        if (desk_.said_of(int(i))) continue;
        const ReviewEvent& event = events[i];
        QString line = link(QString::number(i), tr("frame %1").arg(event.worst_frame)) + " " +
                       QString::fromStdString(event.text).toHtmlEscaped();
        for (size_t r = 0; r < event.remedies.size(); ++r)
            line += QString::fromUtf8(" · ") +
                    link(QString("%1:%2").arg(i).arg(r), QString::fromStdString(event.remedies[r].what));
        lines << paragraph(line);
    }
    if (lines.isEmpty())
        lines << paragraph(events.empty() ? tr("Nowhere: everything is within what is let pass.")
                                          : tr("Nothing is open: all of it was accepted or is done."));
    if (events.size() > most || open < int(events.size()))
        lines << paragraph(link("list", tr("all %1 in a list").arg(events.size())));
    event_list_->setText(lines.join(QString()));
}

void TransferPanel::refresh_verdict() {
    const TakeJudgement& said = workspace_.judgement();
    const QSignalBlocker blocker(verdict_);
    verdict_->setCurrentIndex(int(said.verdict));
    note_->setVisible(said.verdict != Verdict::none || !said.note.empty());
    if (!note_->hasFocus()) note_->setText(QString::fromStdString(said.note));
}

namespace {

/// The figures of a review as they stand in the panel: of the source, of the target.
std::array<std::pair<QString, QString>, 6> figures_of(const Review& review) {
    const auto number = [](double value, int digits) { return QString::number(value, 'f', digits); };
    return {{{number(review.source_slide_cm_s.p95, 1), number(review.target_slide_cm_s.p95, 1)},
             {{}, number(0.1 * review.height_mm.p95, 2)},
             {{}, number(0.1 * review.below_mm.max, 2)},
             {{}, number(review.worst_tip_p95_cm(), 1)},
             {{}, number(review.worst_direction_p95_deg(), 1)},
             {{}, QString::number(review.pop_count())}}};
}

}  // namespace

/// Links have the colour of the look.
void TransferPanel::refresh_look() {
    refresh_events();
}

void TransferPanel::toggle_pin() {
    if (workspace_.pinned()) return workspace_.unpin();
    const LoadedPtr target = workspace_.target();
    if (!target) return;
    const QString change = undo_.undoText();
    workspace_.pin(QString::fromStdString(target->file.character.name) +
                   (change.isEmpty() ? tr(", as it was") : tr(", after: %1").arg(change)));
    if (!workspace_.pinned()) emit said(tr("There is nothing to pin yet: wait until it is measured."));
}

QStringList TransferPanel::pinned_texts() const {
    QStringList texts;
    if (!workspace_.pinned()) return texts;
    for (const QLabel* label : pinned_figures_) texts << label->text();
    return texts;
}

void TransferPanel::refresh_pinned() {
    const auto& pinned = workspace_.pinned();
    pin_->setText(pinned ? tr("let go") : tr("pin"));
    pin_->setToolTip(pinned
                         ? tr("Lets go of the pinned result (P)")
                         : tr("Keeps this result as a thin figure with its own figures beside (P). Hold H: "
                              "what it was before the last change"));
    pinned_head_->setVisible(pinned.has_value());
    pinned_words_->setVisible(pinned.has_value());
    for (QLabel* label : pinned_figures_) label->setVisible(pinned.has_value());
    if (!pinned) return;
    pinned_words_->setText(tr("pinned: %1").arg(pinned->words));
    const auto figures = figures_of(*pinned->review);
    for (size_t i = 0; i < figures.size(); ++i) pinned_figures_[i]->setText(figures[i].second);
}

void TransferPanel::refresh_review() {
    refresh_events();
    refresh_verdict();
    const auto review = workspace_.review();
    for (QLabel* label : target_figures_) label->setText(QString::fromUtf8("–"));
    for (QLabel* label : source_figures_) label->setText({});
    refresh_distances();
    if (!review) return;
    const auto figures = figures_of(*review);
    for (size_t i = 0; i < figures.size(); ++i) {
        source_figures_[i]->setText(figures[i].first);
        target_figures_[i]->setText(figures[i].second);
    }
}

}  // namespace nb
