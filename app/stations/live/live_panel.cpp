#include "app/stations/live/live_panel.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/look/fields_form.hpp"
#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/number_box.hpp"

namespace nb {

namespace {

constexpr double ms_a_s = 1e3;

QLineEdit* address_field(const QString& name, const QString& tip, const QString& text, QWidget* parent) {
    auto* field = new QLineEdit(text, parent);
    field->setAccessibleName(name);
    field->setToolTip(tip);
    return field;
}

}  // namespace

LivePanel::LivePanel(Workspace& workspace, LiveDesk& desk, QWidget* parent)
    : QWidget(parent), workspace_(workspace), desk_(desk) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 14, 12);
    column->setSpacing(6);

    state_ = new QLabel(this);
    state_->setWordWrap(true);
    state_->setObjectName("stream state");
    column->addWidget(state_);
    remedy_ = dim_label({}, this);
    column->addWidget(remedy_);
    own_body_ = word_button(tr("take the stream's own body"),
                            tr("Its bones as they come stand on the stage; roles are found in them"), this);
    connect(own_body_, &QToolButton::clicked, this, [this] { desk_.take_own_body(); });
    longer_ = word_button({}, tr("What comes is held back so long that the slowest is in time"), this);
    connect(longer_, &QToolButton::clicked, this,
            [this] { desk_.set_buffer_ms(ms_a_s * desk_.told().buffer_s); });
    auto* helps = new Flow(6);
    helps->addWidget(own_body_);
    helps->addWidget(longer_);
    column->addLayout(helps);

    auto* in = new FieldsForm(this);
    column->addWidget(in);
    address_ = address_field(tr("address"),
                             tr("Where streams are taken: text over TCP and OSC over UDP, both at this port"),
                             "127.0.0.1:7300", this);
    listen_ = new QPushButton(this);
    listen_->setProperty("is_main", true);
    connect(listen_, &QPushButton::clicked, this, &LivePanel::listen_or_not);
    connect(address_, &QLineEdit::returnPressed, this, &LivePanel::listen_or_not);
    in->add_row(tr("at"), {address_});
    in->add_row({}, {listen_});
    performer_ = new QComboBox(this);
    performer_->setAccessibleName(tr("performer"));
    performer_->setToolTip(tr("Whose motion is followed, of those that come"));
    connect(performer_, &QComboBox::activated, this, [this](int) {
        if (!is_filling_) desk_.follow(performer_->currentText());
    });
    in->add_row(tr("performer"), {performer_});
    buffer_ = number_box(
        tr("buffer"),
        tr("So long what comes is held back, so that it is shown evenly; what comes later is late"), 0, 500,
        0, tr(" ms"), this);
    connect(buffer_, &QDoubleSpinBox::valueChanged, this, [this](double ms) {
        if (!is_filling_) desk_.set_buffer_ms(ms);
    });
    in->add_row(tr("buffer"), {buffer_});
    figures_ = new QLabel(this);
    figures_->setWordWrap(true);
    in->add_row(tr("so far"), {figures_});
    column->addWidget(
        dim_label(tr("Hands on the own body, and where things stand, come with the recording."), this));

    cut_off_ = new QWidget(this);
    auto* cut = new Flow(6);
    cut->setContentsMargins(0, 0, 0, 0);
    cut_off_->setLayout(cut);
    cut_off_words_ = new QLabel(cut_off_);
    finish_ =
        word_button(tr("make a take of it"), tr("All that was on disk when the program ended"), cut_off_);
    connect(finish_, &QToolButton::clicked, this, [this] {
        if (const QStringList names = desk_.unfinished(); !names.isEmpty()) desk_.finish(names.front());
    });
    cut->addWidget(cut_off_words_);
    cut->addWidget(finish_);
    column->addWidget(cut_off_);

    column->addSpacing(6);
    column->addWidget(heading_label(tr("Line out"), this));
    auto* out = new FieldsForm(this);
    column->addWidget(out);
    way_out_ = new QComboBox(this);
    way_out_->setAccessibleName(tr("way out"));
    way_out_->setToolTip(tr("How the target's pose is sent on"));
    way_out_->addItems({tr("OSC over UDP"), tr("BVH over TCP")});
    to_ = address_field(tr("send to"), tr("To whom the target's pose goes"), "127.0.0.1:7400", this);
    send_ = word_button(tr("send"), tr("Sends the target's pose on as it is shown"), this, true);
    beyond_ = new QCheckBox(tr("may leave this machine"), this);
    beyond_->setToolTip(tr("Else only addresses of this machine are taken, in and out"));
    connect(send_, &QToolButton::clicked, this, [this](bool on) {
        if (on)
            desk_.send_to(way_out_->currentIndex() == 0 ? OutSettings::Way::osc : OutSettings::Way::bvh,
                          to_->text(), beyond_->isChecked());
        else
            desk_.send_no_more();
        refresh();
    });
    out->add_row(tr("as"), {way_out_});
    out->add_row(tr("to"), {to_, send_});
    out->add_row({}, {beyond_});
    sent_ = dim_label({}, this);
    column->addWidget(sent_);

    column->addSpacing(6);
    column->addWidget(heading_label(tr("Made-up device"), this));
    column->addWidget(make_device());
    column->addStretch(1);
    connect(&desk_, &LiveDesk::changed, this, &LivePanel::refresh);
    connect(&desk_, &LiveDesk::looked, this, &LivePanel::look);
    connect(&workspace_, &Workspace::choices_changed, this, [this] {
        refresh();
        if (isVisible()) list_takes();
    });
    refresh();
}

QWidget* LivePanel::make_device() {
    auto* page = new FieldsForm(this);
    play_ =
        word_button(tr("play the take"),
                    tr("As a capture device would send it: first the T, then the take over and over"), page);
    halt_ = word_button(tr("stop"), tr("The device says that it ends"), page);
    page->add_row({}, {play_, halt_});
    device_way_ = new QComboBox(page);
    device_way_->setAccessibleName(tr("device's way"));
    device_way_->addItems({tr("BVH over TCP"), tr("OSC over UDP")});
    rate_ = number_box(tr("frames a second"), tr("How many frames the device sends a second"), 30, 240, 0,
                       tr(" a second"), page);
    rate_->setValue(120);
    page->add_row(tr("as"), {device_way_, rate_});
    beside_ = new QComboBox(page);
    beside_->setAccessibleName(tr("second performer"));
    beside_->setToolTip(tr("A second performer, who plays another take of the library"));
    beside_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    page->add_row(tr("beside"), {beside_});
    connect(play_, &QToolButton::clicked, this, [this] {
        desk_.start_device(device_way_->currentIndex() == 0 ? OutSettings::Way::bvh : OutSettings::Way::osc,
                           rate_->value(), beside_->currentIndex() - 1);
    });
    connect(halt_, &QToolButton::clicked, this, [this] { desk_.stop_device(); });
    const std::array<std::pair<QString, QString>, 4> words{
        {{tr("lost"), tr("Share of the frames that are not sent")},
         {tr("late"), tr("Share of the frames that come 80 ms late")},
         {tr("twice"), tr("Share of the frames that are sent twice")},
         {tr("swapped"), tr("Share of the frames that come after the next one")}}};
    std::vector<QWidget*> fields;
    for (const auto& [word, tip] : words) {
        auto* share = number_box(word, tip, 0, 100, 0, tr(" %"), page);
        connect(share, &QDoubleSpinBox::valueChanged, this, &LivePanel::give_faults);
        shares_.push_back(share);
        fields.push_back(labelled(word, share, page));
    }
    page->add_row(tr("faults"), fields);
    frozen_ = new QComboBox(page);
    frozen_->setAccessibleName(tr("frozen limb"));
    frozen_->setToolTip(tr("A limb that does not move any more, as if its markers were lost"));
    frozen_->addItem(tr("no limb frozen"), "");
    for (const auto& [limb, word] :
         std::initializer_list<std::pair<const char*, QString>>{{"arm.left", tr("left arm frozen")},
                                                                {"arm.right", tr("right arm frozen")},
                                                                {"leg.left", tr("left leg frozen")},
                                                                {"leg.right", tr("right leg frozen")}})
        frozen_->addItem(word, limb);
    connect(frozen_, &QComboBox::currentIndexChanged, this, &LivePanel::give_faults);
    noise_ = number_box(tr("noise"), tr("Degrees of noise a joint"), 0, 45, 1, tr("°"), page);
    connect(noise_, &QDoubleSpinBox::valueChanged, this, &LivePanel::give_faults);
    other_ = new QCheckBox(tr("other skeleton"), page);
    name_ = new QCheckBox(tr("wrong name"), page);
    for (QCheckBox* box : {other_, name_}) connect(box, &QCheckBox::toggled, this, &LivePanel::give_faults);
    page->add_row({}, {frozen_, labelled(tr("noise"), noise_, page)});
    page->add_row({}, {other_, name_});
    return page;
}

void LivePanel::give_faults() {
    if (is_filling_) return;
    DeviceFaults faults;
    faults.lost = shares_[0]->value() / 100.0;
    faults.late = shares_[1]->value() / 100.0;
    faults.twice = shares_[2]->value() / 100.0;
    faults.swapped = shares_[3]->value() / 100.0;
    faults.frozen = frozen_->currentData().toString().toStdString();
    faults.noise_deg = noise_->value();
    faults.has_other_skeleton = other_->isChecked();
    faults.has_wrong_name = name_->isChecked();
    desk_.set_faults(faults);
}

void LivePanel::listen_or_not() {
    desk_.is_listening() ? desk_.stop_listening() : desk_.listen(address_->text(), beyond_->isChecked());
}

void LivePanel::showEvent(QShowEvent* event) {
    list_takes();
    QWidget::showEvent(event);
}

void LivePanel::list_takes() {
    const QString chosen = beside_->currentText();
    beside_->clear();
    beside_->addItem(tr("nobody"));
    for (const Choice& choice : workspace_.takes()) beside_->addItem(choice.name);
    beside_->setCurrentIndex(std::max(0, beside_->findText(chosen)));
}

void LivePanel::refresh() {
    is_filling_ = true;
    const bool on = desk_.is_listening();
    listen_->setText(on ? tr("listen no more") : tr("listen"));
    address_->setEnabled(!on);
    buffer_->setValue(desk_.buffer_ms());
    way_out_->setEnabled(!desk_.is_sending());
    to_->setEnabled(!desk_.is_sending());
    send_->setChecked(desk_.is_sending());
    send_->setText(desk_.is_sending() ? tr("send no more") : tr("send"));
    send_->setEnabled(on);
    halt_->setVisible(desk_.has_device());
    const DeviceFaults& faults = desk_.faults();
    const std::array<double, 4> shares{faults.lost, faults.late, faults.twice, faults.swapped};
    for (size_t i = 0; i < shares.size(); ++i) shares_[i]->setValue(100.0 * shares[i]);
    frozen_->setCurrentIndex(std::max(0, frozen_->findData(text_of(faults.frozen))));
    noise_->setValue(faults.noise_deg);
    other_->setChecked(faults.has_other_skeleton);
    name_->setChecked(faults.has_wrong_name);
    const QStringList cut_off = desk_.unfinished();
    cut_off_->setVisible(!cut_off.isEmpty());
    if (!cut_off.isEmpty()) cut_off_words_->setText(tr("%1 was cut off.").arg(cut_off.front()));
    is_filling_ = false;
    look();
}

void LivePanel::look() {
    const LiveTold told = desk_.told();
    const LiveSession::Shown& shown = desk_.shown();
    const QString words = text_of(told.sentence);
    if (state_->text() != words) state_->setText(words);
    const QString remedy = told.remedy.empty() ? QString() : tr("What to do: %1.").arg(text_of(told.remedy));
    if (remedy_->text() != remedy) remedy_->setText(remedy);
    remedy_->setVisible(!remedy.isEmpty());
    own_body_->setVisible(told.state == LiveState::other_skeleton);
    longer_->setVisible(told.buffer_s > 0.0);
    longer_->setText(tr("a buffer of %1 ms").arg(ms_a_s * told.buffer_s, 0, 'f', 0));
    QStringList names;
    for (const std::string& name : shown.facts.performers) names << text_of(name);
    QStringList listed;
    for (int i = 0; i < performer_->count(); ++i) listed << performer_->itemText(i);
    is_filling_ = true;
    if (listed != names) {
        performer_->clear();
        performer_->addItems(names);
    }
    performer_->setCurrentIndex(int(names.indexOf(text_of(shown.facts.performer))));
    performer_->setEnabled(!names.isEmpty());
    performer_->setPlaceholderText(names.isEmpty() ? tr("nobody yet") : tr("choose"));
    is_filling_ = false;
    QString figures = tr("%1 frames").arg(shown.came);
    if (shown.facts.malformed > 0) figures += tr(", %1 malformed").arg(shown.facts.malformed);
    if (shown.has_pose) {
        figures += tr("; solved in %1 µs").arg(1e6 * shown.solve_p50_s, 0, 'f', 0);
        if (desk_.on_screen_s() > 0.0)
            figures += tr("; on screen %1 ms after it came, %2 of them the buffer")
                           .arg(ms_a_s * desk_.on_screen_s(), 0, 'f', 0)
                           .arg(desk_.buffer_ms(), 0, 'f', 0);
    }
    if (!shown.trouble.empty()) figures += "; " + text_of(shown.trouble);
    if (figures_->text() != figures) figures_->setText(figures);
    QString sent = desk_.is_sending() ? tr("%1 poses were sent").arg(shown.sent_out) : QString();
    if (sent_->text() != sent) sent_->setText(sent);
    sent_->setVisible(!sent.isEmpty());
}

}  // namespace nb
