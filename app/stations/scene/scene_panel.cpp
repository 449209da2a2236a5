#include "app/stations/scene/scene_panel.hpp"

#include <QComboBox>
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

#include "app/dock/two_lines.hpp"
#include "app/look/fields_form.hpp"
#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/number_box.hpp"
#include "app/stations/scene/scene_lanes.hpp"
#include "app/stations/transfer/contact_lanes.hpp"

namespace nb {

namespace {

constexpr std::array<const char*, 4> touch_points{"palm.left", "palm.right", "tips.left", "tips.right"};

/// What of a body a hand may lie on.
std::vector<std::string> parts_of(const CastBodies& cast) {
    std::vector<std::string> parts;
    if (cast.skin)
        for (const PartSurface& part : cast.skin->parts) parts.push_back(part.role);
    return parts;
}

}  // namespace

ScenePanel::ScenePanel(Workspace& workspace, Playback& playback, SceneEdits& edits, QWidget* parent)
    : QWidget(parent), workspace_(workspace), playback_(playback), edits_(edits) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 14, 12);
    column->setSpacing(6);
    column->addWidget(none_ = make_none());
    column->addWidget(open_ = make_open());
    column->addStretch(1);
    for (const auto signal : {&Workspace::scene_changed, &Workspace::choices_changed})
        connect(&workspace_, signal, this, &ScenePanel::refresh);
    connect(&workspace_, &Workspace::unsaved_changed, this, &ScenePanel::refresh_scenes);
    connect(&workspace_.scene(), &SceneWork::result_changed, this, &ScenePanel::refresh);
    refresh();
}

QWidget* ScenePanel::make_none() {
    auto* page = new QWidget(this);
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    column->addWidget(heading_label(tr("No scene is open"), page));
    column->addWidget(dim_label(
        tr("A scene puts up to four bodies on one clock and one floor: two who were captured together, or "
           "takes that are to meet. Hands lie where they lay on each other; what changes hands is with "
           "both."),
        page));
    list_ = new QLabel(page);
    list_->setWordWrap(true);
    list_->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    list_->setAccessibleName(tr("scenes"));
    connect(list_, &QLabel::linkActivated, this,
            [this](const QString& path) { workspace_.open_scene(path); });
    column->addWidget(list_);
    auto* make = new QPushButton(tr("make one of what is on the stage"), page);
    make->setToolTip(tr("Its first cast is the take and the target on the stage; others are added to it"));
    connect(make, &QPushButton::clicked, this, [this] { workspace_.make_scene("scene"); });
    column->addWidget(make, 0, Qt::AlignLeft);
    return page;
}

QComboBox* ScenePanel::choice(const QString& name, const QString& tip, const std::function<void(int)>& chosen,
                              QWidget* parent) {
    auto* box = new QComboBox(parent);
    box->setAccessibleName(name);
    box->setToolTip(tip);
    box->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    box->setMinimumContentsLength(4);
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    connect(box, &QComboBox::activated, this, [this, chosen](int at) {
        if (!is_filling_) chosen(at);
    });
    return box;
}

QWidget* ScenePanel::make_open() {
    auto* page = new QWidget(this);
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* head = new QHBoxLayout;
    scene_name_ = new QLineEdit(page);
    scene_name_->setAccessibleName(tr("name of the scene"));
    scene_name_->setToolTip(tr("What the scene is called"));
    connect(scene_name_, &QLineEdit::editingFinished, this, [this] {
        if (!is_filling_) edits_.rename_scene(scene_name_->text().trimmed());
    });
    auto* close =
        word_button(tr("lay by"), tr("Back to one take and one target; what is not saved is kept"), page);
    connect(close, &QToolButton::clicked, this, [this] { workspace_.close_scene(); });
    head->addWidget(scene_name_, 1);
    head->addWidget(close);
    column->addLayout(head);
    casts_ = new QListWidget(page);
    casts_->setAccessibleName(tr("casts"));
    casts_->setToolTip(tr("A click takes a cast in hand, as does one on its body (Q: the next)"));
    casts_->setItemDelegate(new TwoLines(casts_));
    casts_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    connect(casts_, &QListWidget::currentRowChanged, this, [this](int row) {
        if (!is_filling_ && row >= 0) workspace_.take_in_hand(size_t(row), playback_.frame());
    });
    column->addWidget(casts_);
    auto* order = new Flow(6);
    add_ = word_button(tr("add a cast"),
                       tr("Like the one in hand, a metre beside it; then choose its take and target"), page);
    remove_ = word_button(tr("remove"), tr("Takes the cast in hand out of the scene"), page);
    up_ = word_button(tr("move up"), tr("One place up in the order"), page);
    connect(add_, &QToolButton::clicked, this, [this] { edits_.add_cast(workspace_.scene().in_hand()); });
    connect(remove_, &QToolButton::clicked, this,
            [this] { edits_.remove_cast(workspace_.scene().in_hand()); });
    connect(up_, &QToolButton::clicked, this, [this] {
        const size_t now = workspace_.scene().in_hand();
        if (now > 0) edits_.move_cast(now, -1);
    });
    for (QToolButton* button : {add_, remove_, up_}) order->addWidget(button);
    column->addLayout(order);
    column->addSpacing(4);
    column->addWidget(make_cast_form(page));
    column->addSpacing(4);
    column->addWidget(heading_label(tr("Touches between bodies"), page));
    found_ = dim_label({}, page);
    column->addWidget(found_);
    column->addWidget(touch_form_ = make_touch_form(page));
    auto* touches = new Flow(6);
    auto* add = word_button(tr("add one here"),
                            tr("The left palm of the cast in hand on the next one's chest, for half a second "
                               "about the shown frame; then say what it is"),
                            page);
    connect(add, &QToolButton::clicked, this, &ScenePanel::add_touch);
    remove_touch_ = word_button(tr("remove it"), tr("The touch in hand is none"), page);
    connect(remove_touch_, &QToolButton::clicked, this, [this] {
        const int gone = touch_;
        pick_touch(-1);
        if (gone >= 0) edits_.remove_touch(size_t(gone));
    });
    as_found_ = word_button(tr("as found"),
                            tr("What was said by hand goes; touches are those found in the takes"), page);
    connect(as_found_, &QToolButton::clicked, this, [this] {
        pick_touch(-1);
        edits_.touches_as_found();
    });
    for (QToolButton* button : {add, remove_touch_, as_found_}) touches->addWidget(button);
    column->addLayout(touches);
    column->addSpacing(4);
    hand_over_ = new QPushButton(tr("hand all casts over …"), page);
    hand_over_->setToolTip(tr("A .glb a cast into a folder, all on the scene's clock"));
    hand_over_->setProperty("is_main", true);
    connect(hand_over_, &QPushButton::clicked, this, &ScenePanel::ask_hand_over);
    column->addWidget(hand_over_, 0, Qt::AlignLeft);
    return page;
}

QWidget* ScenePanel::make_cast_form(QWidget* parent) {
    auto* form = new FieldsForm(parent);
    const auto row = [form](const QString& word, const std::vector<QWidget*>& fields) {
        form->add_row(word, fields);
    };
    name_ = new QLineEdit(form);
    name_->setAccessibleName(tr("name of the cast"));
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        const size_t now = workspace_.scene().in_hand();
        if (is_filling_ || !workspace_.scene().is_open() ||
            name_->text() == QString::fromStdString(workspace_.scene_document().casts[now].name))
            return;
        if (!edits_.rename_cast(now, name_->text().trimmed())) refresh();
    });
    row(tr("cast"), {name_});
    take_ = choice(
        tr("take of the cast"), tr("Whose motion it has"),
        [this](int at) { edits_.set_take(workspace_.scene().in_hand(), take_->itemData(at).toString()); },
        form);
    row(tr("take"), {take_});
    body_ = dim_label({}, form);
    row({}, {body_});
    target_ = choice(
        tr("target of the cast"), tr("Who takes it on (Alt+← Alt+→)"),
        [this](int at) { edits_.set_target(workspace_.scene().in_hand(), target_->itemData(at).toString()); },
        form);
    row(tr("onto"), {target_});
    start_ = new QSpinBox(form);
    start_->setAccessibleName(tr("starts at frame"));
    start_->setToolTip(
        tr("By how many frames of its take it begins after the scene does (Alt+. Alt+, by one)"));
    start_->setRange(-1000000, 1000000);
    start_->setSuffix(tr(" frames"));
    start_->setKeyboardTracking(false);
    connect(start_, &QSpinBox::valueChanged, this, [this](int frames) {
        if (is_filling_) return;
        const SceneWork& work = workspace_.scene();
        edits_.set_start(work.in_hand(), frames * work.scene().casts[work.in_hand()].take->frame_time_s,
                         int(work.in_hand()) + (1 << 20));
    });
    start_s_ = dim_label({}, form);
    start_s_->setWordWrap(false);
    row(tr("begins at"), {start_, start_s_});
    idle_ = choice(
        tr("before and after"),
        tr("What the cast does before its take begins and after it has ended: it stands still, or idles by "
           "another take. That makes a new take of the library"),
        [this](int at) {
            if (at > 0) workspace_.pad_cast(workspace_.scene().in_hand(), idle_->itemData(at).toString());
            idle_->setCurrentIndex(0);
        },
        form);
    row(tr("else"), {idle_});
    for (int axis = 0; axis < 2; ++axis) {
        auto* box = number_box(axis == 0 ? tr("stands along X") : tr("stands along Z"),
                               tr("Where the floor of its take lies, cm at the size of the take"), -1e7, 1e7,
                               1, tr(" cm"), form);
        box->setPrefix(axis == 0 ? "X " : "Z ");
        connect(box, &QDoubleSpinBox::valueChanged, this, [this, axis](double cm) {
            if (is_filling_) return;
            const size_t now = workspace_.scene().in_hand();
            Vec3 at = workspace_.scene_document().casts[now].at_m;
            at[axis == 0 ? 0 : 2] = 0.01 * cm;
            edits_.set_place(now, at, int(now) + (2 << 20));
        });
        at_cm_[size_t(axis)] = box;
    }
    row(tr("stands at"), {at_cm_[0], at_cm_[1]});
    turn_ = number_box(tr("turned"), tr("About the upright, where its source is at the shown frame"), -3600,
                       3600, 1, QString::fromUtf8("°"), form);
    connect(turn_, &QDoubleSpinBox::valueChanged, this, [this](double deg) {
        if (is_filling_) return;
        const SceneWork& work = workspace_.scene();
        edits_.set_turn(work.in_hand(), deg, work.scene_s(playback_.frame()),
                        int(work.in_hand()) + (3 << 20));
    });
    moves_ = word_button(tr("move"), tr("A handle on the stage moves the cast over the floor"), form, true);
    turns_ = word_button(tr("turn"), tr("A hoop on the stage turns the cast about the upright"), form, true);
    for (QToolButton* one : {moves_, turns_})
        connect(one, &QToolButton::clicked, this, [this, one](bool on) {
            if (on) (one == moves_ ? turns_ : moves_)->setChecked(false);
            emit handle_wanted(moves_->isChecked(), turns_->isChecked());
        });
    row(tr("turned"), {turn_, moves_, turns_});
    by_ = choice(
        tr("distances by"),
        tr("By which distances over the floor are scaled, for all alike: what is together stays together"),
        [this](int at) {
            SceneDistances distances;
            distances.about_m = workspace_.scene_document().distances.about_m;
            distances.k = workspace_.scene().scale();
            if (at == by_->count() - 1) {
                distances.by = SceneDistances::By::number;
            } else if (at > 0) {
                distances.by = SceneDistances::By::cast;
                distances.cast = workspace_.scene_document().casts[size_t(at - 1)].name;
            }
            edits_.set_distances(distances);
        },
        form);
    number_ = number_box(tr("distances times"), tr("1: as in the takes"), 0.05, 20.0, 3, {}, form);
    connect(number_, &QDoubleSpinBox::valueChanged, this, [this](double k) {
        if (is_filling_) return;
        SceneDistances distances = workspace_.scene_document().distances;
        distances.by = SceneDistances::By::number;
        distances.k = k;
        edits_.set_distances(distances, 4 << 20);
    });
    row(tr("distances"), {by_, number_});
    cost_ = dim_label({}, form);
    row({}, {cost_});
    for (QDoubleSpinBox* box : {at_cm_[0], at_cm_[1]})
        when_scaled(box, [box] { box->setFixedWidth(scaled(86)); });
    for (QDoubleSpinBox* box : {turn_, number_}) when_scaled(box, [box] { box->setFixedWidth(scaled(66)); });
    when_scaled(start_, [this] { start_->setFixedWidth(scaled(104)); });
    return form;
}

QWidget* ScenePanel::make_touch_form(QWidget* parent) {
    auto* form = new FieldsForm(parent);
    const auto row = [form](const QString& word, const std::vector<QWidget*>& fields) {
        form->add_row(word, fields);
    };
    point_ = choice(
        tr("hand of the touch"), tr("Which part of the hand touches"),
        [this](int at) {
            change_touch(
                [&](BodyTouch& touch) { touch.point = point_->itemData(at).toString().toStdString(); });
        },
        form);
    for (const char* point : touch_points) point_->addItem(point_words(point), QString(point));
    kind_ = choice(
        tr("kind of the touch"), tr("Stays at its place, or glides over the skin"),
        [this](int at) {
            change_touch(
                [&](BodyTouch& touch) { touch.kind = at == 0 ? ContactKind::stay : ContactKind::slide; });
        },
        form);
    kind_->addItems({tr("stays"), tr("glides")});
    row(tr("hand"), {point_, kind_});
    other_ = choice(
        tr("whom it touches"), tr("The other cast"),
        [this](int at) {
            change_touch([&](BodyTouch& touch) { touch.other = size_t(other_->itemData(at).toInt()); });
        },
        form);
    on_ = choice(
        tr("what it touches"), tr("The part of the other's body"),
        [this](int at) {
            change_touch([&](BodyTouch& touch) { touch.on = on_->itemText(at).toStdString(); });
        },
        form);
    row(tr("on"), {other_, on_});
    first_ = new QSpinBox(form);
    first_->setAccessibleName(tr("touch from frame"));
    last_ = new QSpinBox(form);
    last_->setAccessibleName(tr("touch to frame"));
    for (QSpinBox* box : {first_, last_}) {
        box->setRange(0, 1000000);
        box->setButtonSymbols(QAbstractSpinBox::NoButtons);
        box->setKeyboardTracking(false);
        box->setToolTip(tr("Of the take of the cast whose hand it is"));
        connect(box, &QSpinBox::valueChanged, this, [this] {
            change_touch([&](BodyTouch& touch) {
                touch.first = first_->value();
                touch.last = std::max(touch.first + 1, last_->value());
            });
        });
    }
    row(tr("frames"), {first_, last_});
    sure_ = choice(
        tr("held"), tr("An unsure touch is told, and held once a person says so"),
        [this](int at) { change_touch([&](BodyTouch& touch) { touch.is_unsure = at == 1; }); }, form);
    sure_->addItems({tr("held"), tr("unsure, not held")});
    row({}, {sure_});
    return form;
}

void ScenePanel::change_touch(const std::function<void(BodyTouch&)>& edit) {
    if (!is_filling_ && touch_ >= 0)
        edits_.change_touch(size_t(touch_), tr("a touch between bodies"), touch_ + (5 << 20), edit);
}

void ScenePanel::add_touch() {
    const SceneWork& work = workspace_.scene();
    if (!work.is_open()) return;
    if (work.casts().size() < 2) return emit said(tr("A touch needs another cast: add one."));
    const size_t now = work.in_hand();
    const Take& take = *work.scene().casts[now].take;
    const int half = std::max(1, int(std::lround(0.25 / take.frame_time_s)));
    BodyTouch touch;
    touch.cast = now;
    touch.other = (now + 1) % work.casts().size();
    touch.point = "palm.left";
    const std::vector<std::string> parts = parts_of(work.casts()[touch.other]);
    touch.on = std::find(parts.begin(), parts.end(), "chest") != parts.end() || parts.empty() ? "chest"
                                                                                              : parts.front();
    touch.first = std::max(0, playback_.frame() - half);
    touch.last = std::min(take.frames, playback_.frame() + half + 1);
    const int index = int(work.touches().size());
    edits_.add_touch(touch);
    pick_touch(index);
}

void ScenePanel::pick_touch(int touch) {
    if (touch == touch_) return;
    touch_ = touch;
    refresh_touch();
    emit touch_picked(touch);
}

void ScenePanel::ask_hand_over() {
    if (!workspace_.scene().is_open()) return emit said(tr("No scene is open."));
    const QString folder =
        QFileDialog::getExistingDirectory(this, tr("Where the casts are written, a .glb each"));
    if (!folder.isEmpty()) workspace_.hand_scene_over(folder);
}

void ScenePanel::refresh_scenes() {
    QStringList lines;
    for (const auto& [name, path] : workspace_.scenes()) lines << link_to(path, name, look().mark);
    list_->setText(lines.isEmpty() ? tr("The library has none yet.") : lines.join("<br>"));
}

void ScenePanel::refresh_casts() {
    const SceneDocument& document = workspace_.scene_document();
    casts_->clear();
    for (const SceneDocument::CastEntry& cast : document.casts)
        casts_->addItem(tr("%1, from %4 s\n%2 onto %3")
                            .arg(text_of(cast.name), take_words(cast.take), text_of(cast.target))
                            .arg(cast.start_s, 0, 'f', 2));
    casts_->setCurrentRow(int(workspace_.scene().in_hand()));
    int height = 4;
    for (int i = 0; i < casts_->count(); ++i) height += casts_->sizeHintForRow(i);
    casts_->setFixedHeight(height);
}

void ScenePanel::refresh() {
    const SceneWork& work = workspace_.scene();
    none_->setVisible(!work.is_open());
    open_->setVisible(work.is_open());
    if (!work.is_open()) return refresh_scenes();
    const SceneDocument& document = workspace_.scene_document();
    const size_t now = work.in_hand();
    if (now >= document.casts.size() || document.casts.size() != work.casts().size()) return;  // being read
    is_filling_ = true;
    const SceneDocument::CastEntry& cast = document.casts[now];
    scene_name_->setText(text_of(document.name));
    refresh_casts();
    add_->setEnabled(document.casts.size() < SceneDocument::most_casts);
    remove_->setEnabled(document.casts.size() > 1);
    up_->setEnabled(now > 0);
    name_->setText(text_of(cast.name));
    const auto fill = [](QComboBox& box, const std::vector<Choice>& list, const std::string& named,
                         const auto& name_of) {
        box.clear();
        int at = -1;
        for (const Choice& one : list) {
            const QString name = name_of(one);
            if (name.toStdString() == named) at = box.count();
            box.addItem(one.name, name);
        }
        if (at < 0) {
            at = box.count();
            box.addItem(take_words(named), text_of(named));
        }
        box.setCurrentIndex(at);
    };
    fill(*take_, workspace_.takes(), cast.take,
         [&](const Choice& one) { return Workspace::named_in_scene(one, false, work.key().path); });
    fill(*target_, workspace_.targets(), cast.target,
         [&](const Choice& one) { return Workspace::named_in_scene(one, true, work.key().path); });
    idle_->clear();
    idle_->addItem(tr("stands still"));
    for (const Choice& one : workspace_.takes())
        if (one.is_of_library)
            idle_->addItem(tr("idles: %1").arg(one.name),
                           Workspace::named_in_scene(one, false, work.key().path));
    body_->setVisible(!cast.body.empty());
    body_->setText(tr("of it: %1").arg(text_of(cast.body)));
    const double frame_time_s = work.scene().casts[now].take->frame_time_s;
    start_->setValue(int(std::lround(cast.start_s / frame_time_s)));
    start_s_->setText(tr("= %1 s").arg(cast.start_s, 0, 'f', 3));
    at_cm_[0]->setValue(100.0 * cast.at_m.x());
    at_cm_[1]->setValue(100.0 * cast.at_m.z());
    turn_->setValue(cast.turn_deg);
    by_->clear();
    by_->addItem(tr("the mean"));
    for (const SceneDocument::CastEntry& one : document.casts)
        by_->addItem(tr("%1's").arg(text_of(one.name)));
    by_->addItem(tr("a number"));
    const SceneDistances& distances = document.distances;
    by_->setCurrentIndex(distances.by == SceneDistances::By::mean ? 0
                         : distances.by == SceneDistances::By::number
                             ? by_->count() - 1
                             : 1 + std::max(0, document.cast(distances.cast)));
    number_->setValue(work.scale());
    number_->setEnabled(distances.by == SceneDistances::By::number);
    QStringList costs;
    const std::vector<double> steps = work.steps();
    for (size_t i = 0; i < steps.size(); ++i)
        costs << (std::abs(steps[i]) < 0.005
                      ? tr("%1's steps are its own").arg(text_of(document.casts[i].name))
                      : tr("%1's steps are %2 % %3")
                            .arg(text_of(document.casts[i].name))
                            .arg(100.0 * std::abs(steps[i]), 0, 'f', 0)
                            .arg(steps[i] > 0.0 ? tr("longer than its legs'")
                                                : tr("shorter than its legs'")));
    cost_->setText(costs.isEmpty() ? tr("one cast: as it goes by itself") : costs.join(tr("; ")));
    const size_t count = work.touches().size();
    found_->setText(document.touches ? tr("%1, said by hand").arg(count)
                    : !work.result() ? tr("being sought")
                    : count == 0     ? tr("none found in the takes")
                                     : tr("%1 found in the takes; a lane each below").arg(count));
    as_found_->setVisible(document.touches.has_value());
    hand_over_->setEnabled(work.finished() != nullptr);
    is_filling_ = false;
    refresh_touch();
}

void ScenePanel::refresh_touch() {
    const SceneWork& work = workspace_.scene();
    const bool is_one = work.is_open() && touch_ >= 0 && touch_ < int(work.touches().size());
    touch_form_->setVisible(is_one);
    remove_touch_->setVisible(is_one);
    if (!is_one) return;
    is_filling_ = true;
    const BodyTouch& touch = work.touches()[size_t(touch_)];
    if (point_->findData(QString::fromStdString(touch.point)) < 0)
        point_->addItem(point_words(touch.point), QString::fromStdString(touch.point));
    point_->setCurrentIndex(point_->findData(QString::fromStdString(touch.point)));
    kind_->setCurrentIndex(touch.kind == ContactKind::stay ? 0 : 1);
    other_->clear();
    for (size_t i = 0; i < work.casts().size(); ++i)
        if (i != touch.cast) other_->addItem(text_of(work.document().casts[i].name), int(i));
    other_->setCurrentIndex(other_->findData(int(touch.other)));
    on_->clear();
    for (const std::string& part : parts_of(work.casts()[touch.other])) on_->addItem(text_of(part));
    if (on_->findText(text_of(touch.on)) < 0) on_->addItem(text_of(touch.on));
    on_->setCurrentIndex(on_->findText(text_of(touch.on)));
    first_->setValue(touch.first);
    last_->setValue(touch.last);
    sure_->setCurrentIndex(touch.is_unsure ? 1 : 0);
    is_filling_ = false;
}

}  // namespace nb
