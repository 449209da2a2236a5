#include "app/window/stage_bar.hpp"

#include <QHBoxLayout>
#include <QLabel>
#include <QSlider>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stage/stage_view.hpp"

namespace nb {

StageBar::StageBar(Workspace& workspace, StageView& stage, QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 2, 12, 2);
    row->setSpacing(8);
    view_ = new QLabel(this);
    view_->setToolTip(
        tr("V steps the views, N changes the lens, B shows one body alone; drag turns, Shift+drag pans, the "
           "wheel zooms"));
    view_->setMinimumWidth(40);
    over_ = new QLabel(tr("over each other"), this);
    beside_ = new QLabel(tr("side by side"), this);
    spread_ = new QSlider(Qt::Horizontal, this);
    spread_->setRange(0, 100);
    spread_->setToolTip(tr("Spread: slides the bodies apart (S)"));
    spread_->setAccessibleName(tr("spread"));
    spread_->setFocusPolicy(Qt::TabFocus);
    row->addWidget(view_, 1);
    row->addWidget(over_);
    row->addWidget(spread_);
    row->addWidget(beside_);
    when_scaled(this, [this] {
        spread_->setFixedWidth(scaled(130));
        setFixedHeight(scaled(28));
    });
    connect(spread_, &QSlider::valueChanged, this, [this](int v) { stage_.set_spread(v / 100.0); });
    connect(&stage_, &StageView::view_changed, this, &StageBar::refresh);
    connect(&stage_, &StageView::selection_changed, this, &StageBar::refresh);
    refresh();
}

void StageBar::refresh() {
    QString text =
        text_of(view_name(stage_.view())) + (stage_.is_long_lens() ? tr(" · long lens") : tr(" · wide lens"));
    if (stage_.is_source_sized()) text += tr(" · source at the target's size");
    if (stage_.shown() == StageView::Shown::source) text += tr(" · source alone");
    if (stage_.shown() == StageView::Shown::target) text += tr(" · target alone");
    const LoadedPtr loaded = stage_.is_selected_in_target() ? workspace_.target() : workspace_.source();
    if (loaded && stage_.selected_joint() >= 0)
        text += " · " + text_of(loaded->file.character.rig.skeleton.names[size_t(stage_.selected_joint())]);
    view_->setText(text);
    const QSignalBlocker blocker(spread_);
    spread_->setValue(int(std::lround(100 * stage_.spread())));
    fit();
}

/// Where it is narrow the slider goes without its words: its tip says what it does.
void StageBar::fit() {
    const int words = over_->sizeHint().width() + beside_->sizeHint().width();
    const bool has_room = width() >= view_->sizeHint().width() + words + spread_->width() + scaled(60);
    over_->setVisible(has_room);
    beside_->setVisible(has_room);
}

void StageBar::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    fit();
}

}  // namespace nb
