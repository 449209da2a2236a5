#include "app/stations/hand_over/controls_page.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <array>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/number_box.hpp"
#include "app/stations/hand_over/controls_view.hpp"

namespace nb {

namespace {

constexpr std::array modes{LimbMode::goal_and_pole, LimbMode::angles, LimbMode::both};
constexpr int share_topic = 1, way_topic = 2;
constexpr int fields_px = 270;

}  // namespace

ControlsPage::ControlsPage(Workspace& workspace, ControlsDesk& desk, QWidget* parent)
    : QWidget(parent), workspace_(workspace), desk_(desk), view_(new ControlsView(workspace, desk, this)) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 0, 12, 6);
    column->setSpacing(4);
    column->addLayout(make_head());
    auto* row = new QHBoxLayout;
    row->addWidget(view_, 1);
    auto* beside = new QWidget(this);
    auto* fields = new QVBoxLayout(beside);
    fields->setContentsMargins(0, 0, 0, 0);
    fields->addLayout(make_node_fields());
    fields->addSpacing(8);
    fields->addLayout(make_limb_fields());
    fields->addStretch();
    when_scaled(beside, [beside] { beside->setFixedWidth(scaled(fields_px)); });
    row->addWidget(beside);
    column->addLayout(row, 1);
    connect(view_, &ControlsView::selected_changed, this, &ControlsPage::refresh);
    connect(&desk_, &ControlsDesk::changed, this, &ControlsPage::refresh);
    refresh();
}

void ControlsPage::showEvent(QShowEvent* event) {
    desk_.follow(true);
    QWidget::showEvent(event);
}

void ControlsPage::hideEvent(QHideEvent* event) {
    desk_.follow(false);
    QWidget::hideEvent(event);
}

QLayout* ControlsPage::make_head() {
    auto* head = new Flow(6);
    auto* choose =
        word_button(tr("choose a rig …"),
                    tr("A .glb whose nodes are the controls; a copy is kept beside the body's rig"), this);
    connect(choose, &QToolButton::clicked, this, [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("The animator's control rig"), {},
                                                          tr("glTF (*.glb *.gltf)"));
        if (!path.isEmpty()) desk_.choose(path);
    });
    head->addWidget(choose);
    by_names_ = word_button(tr("fill by names"),
                            tr("What nodes say by their names: sides, parts of the body, knee, elbow, look; "
                               "turn, share. What was given by hand goes"),
                            this);
    connect(by_names_, &QToolButton::clicked, this, [this] { desk_.fill_by_names(); });
    head->addWidget(by_names_);
    told_ = new QLabel(this);
    told_->setObjectName("what takes something");
    told_->setProperty("dim", true);
    head->addWidget(told_);
    head->add_gap();
    keep_ = new QPushButton(tr("keep the controls"), this);
    keep_->setObjectName("keep the controls");
    keep_->setProperty("is_main", true);
    keep_->setToolTip(tr("With the character, for everybody: controls.json beside its rig"));
    connect(keep_, &QPushButton::clicked, this, [this] { desk_.keep(); });
    head->addWidget(keep_);
    of_rig_ = {by_names_, told_, keep_};
    return head;
}

QLayout* ControlsPage::make_node_fields() {
    auto* fields = new Flow(6);
    const auto add = [&](QWidget* widget) {
        of_node_.push_back(widget);
        fields->addWidget(widget);
    };
    node_word_ = new QLabel(this);
    node_word_->setProperty("dim", true);
    add(node_word_);
    takes_ = new QComboBox(this);
    takes_->setAccessibleName(tr("what the control takes"));
    connect(takes_, &QComboBox::activated, this, [this](int at) {
        if (!is_filling_)
            desk_.give(view_->node(), takes_->itemData(at).toString().toStdString(), both_->isChecked());
    });
    add(takes_);
    const auto tick = [&](const QString& text, const QString& tip) {
        auto* box = new QCheckBox(text, this);
        box->setToolTip(tip);
        add(box);
        return box;
    };
    place_ = tick(tr("its place"), tr("The control is moved"));
    turn_ = tick(tr("its turn"), tr("The control is turned"));
    for (QCheckBox* box : {place_, turn_})
        connect(box, &QCheckBox::toggled, this, [this] {
            if (!is_filling_)
                desk_.set_parts(view_->node(), place_->isChecked(), turn_->isChecked(), both_->isChecked());
        });
    both_ = tick(tr("and its other side"),
                 tr("The node of the other side gets the mirrored one, with each change"));
    both_->setChecked(true);
    return fields;
}

QLayout* ControlsPage::make_limb_fields() {
    auto* fields = new Flow(6);
    const auto add = [&](QWidget* widget) {
        of_limb_.push_back(widget);
        fields->addWidget(widget);
    };
    const auto word = [&](const QString& text) {
        auto* label = new QLabel(text, this);
        label->setProperty("dim", true);
        add(label);
        return label;
    };
    const auto number = [&](const QString& name, const QString& tip, double low, double high,
                            const QString& unit, int topic,
                            const std::function<void(LimbKeys&, double)>& set) {
        auto* box = number_box(name, tip, low, high, 0, unit, this);
        when_scaled(box, [box] { box->setFixedWidth(scaled(70)); });
        connect(box, &QDoubleSpinBox::valueChanged, this, [this, topic, set](double value) {
            set_limb(topic, [&](LimbKeys& keys) { set(keys, value); });
        });
        add(box);
        return box;
    };
    limb_word_ = word({});
    keyed_ = new QComboBox(this);
    keyed_->setAccessibleName(tr("how the limb is keyed"));
    keyed_->setToolTip(tr("By where its end and its pole are, by the angles of its bones, or both of them"));
    keyed_->addItems({tr("by goal and pole"), tr("by its angles"), tr("by both")});
    connect(keyed_, &QComboBox::activated, this,
            [this](int at) { set_limb(-1, [&](LimbKeys& keys) { keys.mode = modes[size_t(at)]; }); });
    add(keyed_);
    word(tr("goal's share"));
    share_ = number(tr("share of goal and pole"), tr("100 %: goal and pole speak; 0 %: the angles"), 0, 100,
                    tr(" %"), share_topic, [](LimbKeys& keys, double v) { keys.share = 0.01 * v; });
    word(tr("on"));
    share_node_ = new QComboBox(this);
    share_node_->setAccessibleName(tr("node that carries the share"));
    share_node_->setToolTip(tr("It stands at its rest for 0 %, and this far up its own Y for 100 %"));
    connect(share_node_, &QComboBox::activated, this, [this](int at) {
        set_limb(-1, [&](LimbKeys& keys) { keys.node = share_node_->itemData(at).toString().toStdString(); });
    });
    add(share_node_);
    way_ = number(tr("way of the share"), tr("How far up the node goes for 100 %"), 1, 1000, tr(" cm"),
                  way_topic, [](LimbKeys& keys, double v) { keys.way_m = 0.01 * v; });
    return fields;
}

std::string ControlsPage::limb() const {
    const ControlRig* rig = desk_.rig();
    if (!rig || view_->node().empty()) return {};
    for (const auto& [limb, keys] : rig->limbs)
        if (keys.node == view_->node()) return limb;
    const Control* control = desk_.control(view_->node());
    return control ? limb_of_control(*control) : std::string();
}

void ControlsPage::set_limb(int topic, const std::function<void(LimbKeys&)>& edit) {
    const std::string of = limb();
    if (is_filling_ || of.empty()) return;
    LimbKeys keys = desk_.rig()->limb(of);
    edit(keys);
    desk_.set_limb(of, keys, both_->isChecked(), topic);
}

void ControlsPage::fill_lists() {
    const Control* control = desk_.control(view_->node());
    takes_->clear();
    takes_->addItem(tr("nothing"), QString());
    std::vector<std::string> goals = desk_.goals();
    // Also what this body has not, so that it is seen.
    if (control && std::find(goals.begin(), goals.end(), control->goal) == goals.end())
        goals.push_back(control->goal);
    for (const std::string& goal : goals) takes_->addItem(goal_word(goal), QString::fromStdString(goal));
    takes_->setCurrentIndex(
        std::max(0, takes_->findData(control ? QString::fromStdString(control->goal) : QString())));
    share_node_->clear();
    share_node_->addItem(tr("no node"), QString());
    for (const std::string& node : desk_.nodes())
        if (!desk_.control(node))
            share_node_->addItem(QString::fromStdString(node), QString::fromStdString(node));
}

void ControlsPage::refresh() {
    is_filling_ = true;
    const ControlRig* rig = desk_.rig();
    const bool is_shown = rig && desk_.trouble().isEmpty();
    const Control* control = desk_.control(view_->node());
    const std::string of = limb();
    for (QWidget* one : of_rig_) one->setVisible(is_shown);
    for (QWidget* one : of_node_) one->setVisible(is_shown && !view_->node().empty());
    for (QWidget* one : of_limb_) one->setVisible(is_shown && !of.empty());
    if (is_shown) {
        int taking = 0, sharing = 0;
        for (const std::string& node : desk_.nodes()) taking += desk_.control(node) ? 1 : 0;
        for (const auto& [limb, keys] : rig->limbs) sharing += keys.node.empty() ? 0 : 1;
        const int others = int(desk_.nodes().size()) - taking - sharing;
        told_->setText(tr("%1 nodes take something, %2 carry a share, %3 nothing")
                           .arg(taking)
                           .arg(sharing)
                           .arg(std::max(0, others)));
        keep_->setEnabled(!desk_.is_as_kept());
    }
    fill_lists();
    node_word_->setText(tr("%1 takes").arg(QString::fromStdString(view_->node())));
    const bool carries_share = !of.empty() && rig->limb(of).node == view_->node();
    if (carries_share)
        for (QWidget* one : of_node_) one->setVisible(one == both_);
    place_->setEnabled(control != nullptr);
    turn_->setEnabled(control != nullptr);
    place_->setChecked(control && control->has_place);
    turn_->setChecked(control && control->has_turn);
    if (!of.empty()) {
        const LimbKeys keys = rig->limb(of);
        limb_word_->setText(tr("the %1 is keyed").arg(limb_word(of)));
        keyed_->setCurrentIndex(int(std::find(modes.begin(), modes.end(), keys.mode) - modes.begin()));
        share_->setEnabled(keys.mode == LimbMode::both);
        share_->setValue(100.0 * keys.share_in_force());
        share_node_->setCurrentIndex(std::max(0, share_node_->findData(QString::fromStdString(keys.node))));
        way_->setValue(100.0 * keys.way_m);
        way_->setEnabled(!keys.node.empty());
    }
    is_filling_ = false;
    view_->update();
}

}  // namespace nb
