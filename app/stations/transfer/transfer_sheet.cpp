#include "app/stations/transfer/transfer_sheet.hpp"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/stations/transfer/contact_lanes.hpp"
#include "app/stations/transfer/curves_view.hpp"
#include "app/stations/transfer/error_strip.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"

namespace nb {

TransferSheet::TransferSheet(Workspace& workspace, Playback& playback, StageView& stage, QUndoStack& undo,
                             QWidget* parent)
    : QWidget(parent),
      workspace_(workspace),
      playback_(playback),
      strip_(new ErrorStrip(workspace, playback, this)),
      curves_(new CurvesView(workspace, playback, stage, this)),
      lanes_(new ContactLanes(workspace, playback, undo, this)) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    rows->addLayout(make_head());
    rows->addWidget(strip_, 1);
    rows->addWidget(curves_, 1);
    rows->addWidget(lanes_);
    show_curves(false);
    connect(strip_, &ErrorStrip::explained, this, [this](const QString& line) {
        if (!line.isEmpty()) emit said(line);
    });
    connect(lanes_, &ContactLanes::explained, this, &TransferSheet::said);
}

QHBoxLayout* TransferSheet::make_head() {
    auto* head = new QHBoxLayout;
    head->setContentsMargins(12, 6, 12, 2);
    head->setSpacing(8);
    measure_ = new QComboBox(this);
    measure_->setAccessibleName(tr("measure"));
    measure_->setToolTip(tr("Which measure the strip shows"));
    measure_->setFocusPolicy(Qt::TabFocus);
    for (const ReviewMeasure m :
         {ReviewMeasure::slide, ReviewMeasure::height, ReviewMeasure::below, ReviewMeasure::tip,
          ReviewMeasure::direction, ReviewMeasure::bend, ReviewMeasure::wring, ReviewMeasure::turn_change,
          ReviewMeasure::source_slide})
        measure_->addItem(QString("%1, %2").arg(measure_name(m), measure_unit(m)), int(m));
    connect(measure_, &QComboBox::currentIndexChanged, this,
            [this] { strip_->set_measure(ReviewMeasure(measure_->currentData().toInt())); });
    quantity_ = new QComboBox(this);
    quantity_->setAccessibleName(tr("curve"));
    quantity_->setToolTip(tr("What of the selected bone the curves show"));
    quantity_->setFocusPolicy(Qt::TabFocus);
    for (const BoneQuantity quantity : bone_quantities) {
        const auto name = bone_quantity_name(quantity);
        const auto unit = bone_quantity_unit(quantity);
        quantity_->addItem(QString("%1, %2").arg(QString::fromUtf8(name.data(), qsizetype(name.size())),
                                                 QString::fromUtf8(unit.data(), qsizetype(unit.size()))),
                           int(quantity));
    }
    connect(quantity_, &QComboBox::currentIndexChanged, this,
            [this] { curves_->set_quantity(BoneQuantity(quantity_->currentData().toInt())); });
    worst_ = new QToolButton(this);
    worst_->setText(tr("next worst"));
    worst_->setToolTip(tr("Goes to the worst frame, then the next (W)"));
    worst_->setFocusPolicy(Qt::TabFocus);
    connect(worst_, &QToolButton::clicked, this, &TransferSheet::go_to_next_worst);
    curves_button_ = new QToolButton(this);
    curves_button_->setText(tr("curves"));
    curves_button_->setCheckable(true);
    curves_button_->setToolTip(tr("The selected bone over the take: source and target over each other (C)"));
    curves_button_->setFocusPolicy(Qt::TabFocus);
    connect(curves_button_, &QToolButton::clicked, this, &TransferSheet::show_curves);
    hint_ = new QLabel(this);
    hint_->setProperty("dim", true);
    head->addWidget(measure_);
    head->addWidget(worst_);
    head->addWidget(quantity_);
    head->addSpacing(8);
    head->addWidget(hint_);
    head->addStretch();
    head->addWidget(curves_button_);
    return head;
}

void TransferSheet::show_curves(bool on) {
    curves_button_->setChecked(on);
    curves_->setVisible(on);
    quantity_->setVisible(on);
    strip_->setVisible(!on);
    measure_->setVisible(!on);
    worst_->setVisible(!on);
    hint_->setText(on ? tr("of the selected bone · wheel: zoom, click: go there")
                      : tr("a bar a frame · click: go there, and why"));
}

bool TransferSheet::has_curves() const {
    return curves_button_->isChecked();
}

void TransferSheet::go_to_next_worst() {
    go_to_worst(strip_->measure());
}

void TransferSheet::go_to_worst(ReviewMeasure measure) {
    if (measure != strip_->measure()) {
        measure_->setCurrentIndex(measure_->findData(int(measure)));
        playback_.play(false);
    }
    const int frame = strip_->next_worst();
    if (frame < 0) return;
    playback_.play(false);
    playback_.go_to(frame);
    const auto review = workspace_.review();
    const ReviewSeries* worst = nullptr;
    for (const ReviewSeries& series : review->series)
        if (series.measure == measure &&
            (!worst || series.values[size_t(frame)] > worst->values[size_t(frame)]))
            worst = &series;
    if (worst) emit said(strip_->why(QString::fromStdString(worst->row), frame));
}

void TransferSheet::choose_contact(const QString& foot, int frame) {
    lanes_->choose_at(foot, frame);
    lanes_->setFocus();
}

void TransferSheet::refresh_look() {
    curves_->refresh_look();
}

}  // namespace nb
