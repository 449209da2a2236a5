#include "app/stations/touch_up/touch_sheet.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/look/labels.hpp"
#include "app/stations/touch_up/touch_lanes.hpp"
#include "app/stations/transfer/curves_view.hpp"
#include "app/stations/transfer/error_strip.hpp"

namespace nb {

TouchSheet::TouchSheet(Workspace& workspace, Playback& playback, StageView& stage, TouchEdits& edits,
                       QWidget* parent)
    : QWidget(parent),
      edits_(edits),
      strip_(new ErrorStrip(workspace, playback, this)),
      curves_(new CurvesView(workspace, playback, stage, this)),
      lanes_(new TouchLanes(workspace, playback, edits, this)) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    auto* head = new QHBoxLayout;
    head->setSpacing(8);
    head->setContentsMargins(12, 6, 12, 2);
    measure_ = new QComboBox(this);
    measure_->setAccessibleName(tr("measure"));
    measure_->setToolTip(tr("Which measure the strip shows; the thin line: before the last change"));
    for (const ReviewMeasure m :
         {ReviewMeasure::slide, ReviewMeasure::height, ReviewMeasure::below, ReviewMeasure::tip,
          ReviewMeasure::direction, ReviewMeasure::turn_change, ReviewMeasure::gap, ReviewMeasure::depth,
          ReviewMeasure::held, ReviewMeasure::head, ReviewMeasure::jitter, ReviewMeasure::range})
        measure_->addItem(QString("%1, %2").arg(measure_name(m), measure_unit(m)), int(m));
    connect(measure_, &QComboBox::currentIndexChanged, this,
            [this] { strip_->set_measure(ReviewMeasure(measure_->currentData().toInt())); });
    quantity_ = curves_->quantity_choice(this);
    curves_->show_without(true);
    with_curves_ = word_button(
        tr("curves"),
        tr("The picked bone over the take instead of a measure: here, and dotted without touch-ups"), this,
        true);
    connect(with_curves_, &QToolButton::toggled, this, &TouchSheet::show_curves);
    auto* snap = new QCheckBox(tr("whole frames"), this);
    snap->setToolTip(tr("What is dragged in the lanes snaps to whole frames"));
    snap->setChecked(true);
    connect(snap, &QCheckBox::toggled, this, [this](bool on) { lanes_->set_snapping(on); });
    cost_ = new QLabel(this);
    cost_->setObjectName("cost");
    cost_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    head->addWidget(with_curves_);
    head->addWidget(measure_);
    head->addWidget(quantity_);
    head->addWidget(snap);
    head->addWidget(cost_, 1);
    rows->addLayout(head);
    when_scaled(strip_, [this] { strip_->setMaximumHeight(scaled(86)); });
    auto* above = new QHBoxLayout;
    above->addWidget(strip_);
    when_scaled(curves_, [this] { curves_->setFixedHeight(scaled(118)); });
    above->addWidget(curves_);
    show_curves(false);
    rows->addLayout(above);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(lanes_);
    rows->addWidget(scroll, 1);
    // The strip stays over the lanes when these need a scroll bar.
    QScrollBar* bar = scroll->verticalScrollBar();
    connect(bar, &QScrollBar::rangeChanged, this, [above, bar](int, int most) {
        above->setContentsMargins(0, 0, most > 0 ? bar->sizeHint().width() : 0, 0);
    });
    for (const auto signal : {&TouchEdits::measured, &TouchEdits::changed})
        connect(&edits_, signal, this, [this] {
            cost_->setText(edits_.cost());
            cost_->setToolTip(edits_.cost());
            strip_->compare_with(edits_.before());
        });
    connect(lanes_, &TouchLanes::explained, this, &TouchSheet::said);
    connect(strip_, &ErrorStrip::explained, this, [this](const QString& line) {
        if (!line.isEmpty()) emit said(line);
    });
}

void TouchSheet::refresh_look() {
    curves_->refresh_look();
}

void TouchSheet::show_curves(bool on) {
    curves_->setVisible(on);
    quantity_->setVisible(on);
    strip_->setVisible(!on);
    measure_->setVisible(!on);
}

}  // namespace nb
