#include "app/stations/transfer/curves_view.hpp"

#include <qcustomplot.h>

#include <QComboBox>
#include <QMouseEvent>
#include <QVBoxLayout>
#include <limits>

#include <cmath>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stage/stage_view.hpp"
#include "app/stations/transfer/error_strip.hpp"

namespace nb {

namespace {

constexpr int curves = 4;

}  // namespace

CurvesView::CurvesView(Workspace& workspace, Playback& playback, StageView& stage, QWidget* parent)
    : QWidget(parent), workspace_(workspace), playback_(playback), stage_(stage) {
    setAccessibleName(tr("Curves"));
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    plot_ = new QCustomPlot(this);
    plot_->setNoAntialiasingOnDrag(true);
    plot_->setToolTip(
        tr("Both curves at one scale: the source's lengths are multiplied as the body travels. "
           "Wheel: zoom in time, drag: move along, click: go there"));
    rows->addWidget(plot_);
    for (int i = 0; i < curves; ++i) {
        plot_->addGraph();
        plot_->graph(i)->setAdaptiveSampling(true);
    }
    // Under one ruler with the strip above.
    plot_->axisRect()->setAutoMargins(QCP::msTop | QCP::msBottom);
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    plot_->axisRect()->setRangeDrag(Qt::Horizontal);
    plot_->axisRect()->setRangeZoom(Qt::Horizontal);
    plot_->yAxis->setNumberPrecision(4);
    plot_->yAxis->ticker()->setTickCount(4);
    now_ = new QCPItemStraightLine(plot_);
    words_ = new QCPItemText(plot_);
    words_->position->setType(QCPItemPosition::ptAbsolute);
    words_->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
    words_->setTextAlignment(Qt::AlignLeft);
    words_->setClipToAxisRect(false);
    words_->position->setCoords(6, 4);
    plot_->installEventFilter(this);
    const auto stale = [this] {
        is_stale_ = true;
        if (isVisible()) refresh();
    };
    for (const auto signal :
         {&Workspace::source_changed, &Workspace::target_changed, &Workspace::result_changed,
          &Workspace::pin_changed, &Workspace::without_changed})
        connect(&workspace_, signal, this, stale);
    connect(&stage_, &StageView::selection_changed, this, stale);
    connect(&playback_, &Playback::frame_changed, this, &CurvesView::refresh_now);
    refresh_look();
}

void CurvesView::refresh_look() {
    const Look& l = look();
    const auto pen = [](const QColor& colour, double width) { return QPen(colour, width); };
    plot_->setBackground(QBrush(l.ground));
    plot_->graph(0)->setPen(pen(l.source, 1.6));
    plot_->graph(1)->setPen(pen(l.target, 1.6));
    plot_->graph(2)->setPen(pen(l.mark, 1.0));
    QPen without = pen(l.target, 1.0);
    without.setStyle(Qt::DotLine);
    plot_->graph(3)->setPen(without);
    now_->setPen(pen(l.mark, 1.4));
    words_->setColor(l.text);
    plot_->axisRect()->setMargins(QMargins(scaled(ErrorStrip::left_px), 4, scaled(ErrorStrip::right_px), 0));
    const QFont small = text_font(11);
    words_->setFont(small);
    for (QCPAxis* axis : {plot_->xAxis, plot_->yAxis}) {
        axis->setBasePen(pen(l.line, 1.0));
        axis->setTickPen(pen(l.line, 1.0));
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelColor(l.dim);
        axis->setTickLabelFont(small);
        axis->grid()->setPen(pen(l.line, 1.0));
        axis->grid()->setZeroLinePen(pen(l.line, 1.0));
    }
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void CurvesView::set_quantity(BoneQuantity quantity) {
    quantity_ = quantity;
    is_stale_ = true;
    if (isVisible()) refresh();
}

QComboBox* CurvesView::quantity_choice(QWidget* parent) {
    auto* field = new QComboBox(parent);
    field->setAccessibleName(tr("curve"));
    field->setToolTip(tr("What of the selected bone the curves show"));
    field->setFocusPolicy(Qt::TabFocus);
    for (const BoneQuantity quantity : bone_quantities)
        field->addItem(QString("%1, %2").arg(text_of(bone_quantity_name(quantity)),
                                             text_of(bone_quantity_unit(quantity))),
                       int(quantity));
    connect(field, &QComboBox::currentIndexChanged, this,
            [this, field] { set_quantity(BoneQuantity(field->currentData().toInt())); });
    return field;
}

void CurvesView::show_without(bool on) {
    has_without_ = on;
    is_stale_ = true;
    if (isVisible()) refresh();
}

void CurvesView::choose_role() {
    role_ = "hips";
    const LoadedPtr body = workspace_.body(stage_.is_selected_in_target());
    if (!body || stage_.selected_joint() < 0) return;
    const std::string role = body->file.character.roles.role_of(stage_.selected_joint());
    if (!role.empty()) role_ = role;
}

void CurvesView::refresh() {
    is_stale_ = false;
    choose_role();
    const LoadedPtr source = workspace_.source();
    const LoadedPtr target = workspace_.target();
    const auto result = workspace_.result();
    const double dt = playback_.frame_time_s();
    const auto set = [&](int graph, const std::vector<double>& values) {
        QVector<QCPGraphData> points;
        points.reserve(qsizetype(values.size()));
        for (size_t f = 0; f < values.size(); ++f) points.append(QCPGraphData(double(f), values[f]));
        plot_->graph(graph)->data()->set(points, true);
    };
    for (int i = 0; i < curves; ++i) set(i, {});
    if (source && target && result) {
        set(0, bone_curve(source->file.character, result->source, role_, quantity_, dt,
                          result->plan.program.map));
        if (result->target.joints == target->file.character.rig.skeleton.size())
            set(1, bone_curve(target->file.character, result->target, role_, quantity_, dt));
    }
    if (const auto& pinned = workspace_.pinned()) {
        const std::vector<double> whole = bone_curve(pinned->target->file.character, pinned->result->target,
                                                     role_, quantity_, pinned->result->take.frame_time_s);
        std::vector<double> here;
        for (int f = 0; f < playback_.frames() && !whole.empty(); ++f) {
            const int there = workspace_.pinned_frame(f);
            here.push_back(there < 0 ? std::nan("") : whole[size_t(there)]);
        }
        set(2, here);
    }
    // A pace gives it another clock: then there is nothing to lay over each other.
    if (const auto without = has_without_ && target && result ? workspace_.without_touch_ups() : nullptr;
        without && without->target.frames == result->target.frames && without != result)
        set(3, bone_curve(target->file.character, without->target, role_, quantity_, dt));
    if (frames_ != playback_.frames()) {
        frames_ = playback_.frames();
        plot_->xAxis->setRange(0, std::max(1, frames_));
    }
    plot_->yAxis->rescale();
    plot_->yAxis->scaleRange(1.08);
    refresh_now();
}

void CurvesView::refresh_now() {
    if (!isVisible()) return;
    const int frame = playback_.frame();
    now_->point1->setCoords(frame + 0.0, 0.0);
    now_->point2->setCoords(frame + 0.0, 1.0);
    QStringList lines{QString::fromStdString(role_)};
    const std::array<QString, curves> names{tr("take"), tr("here"), tr("pinned"), tr("without")};
    for (int i = 0; i < curves; ++i)
        if (const double at = value(i, frame); !std::isnan(at))
            lines << names[size_t(i)] + " " + QString::number(at, 'f', std::abs(at) < 100.0 ? 1 : 0);
    words_->setText(lines.join("\n"));
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

double CurvesView::value(int curve, int frame) const {
    const auto points = plot_->graph(curve)->data();
    const auto at = points->findBegin(double(frame), false);
    return at == points->constEnd() || at->key != double(frame) ? std::numeric_limits<double>::quiet_NaN()
                                                                : at->value;
}

std::pair<double, double> CurvesView::range() const {
    return {plot_->xAxis->range().lower, plot_->xAxis->range().upper};
}

void CurvesView::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (is_stale_)
        refresh();
    else
        refresh_now();
}

bool CurvesView::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::MouseButtonPress) pressed_ = static_cast<QMouseEvent*>(event)->pos();
    if (event->type() == QEvent::MouseButtonRelease) {
        const QPoint at = static_cast<QMouseEvent*>(event)->pos();
        if ((at - pressed_).manhattanLength() < 3) {
            playback_.play(false);
            playback_.go_to(std::clamp(int(std::lround(plot_->xAxis->pixelToCoord(at.x()))), 0,
                                       std::max(0, playback_.frames() - 1)));
        }
    }
    if (event->type() == QEvent::MouseButtonDblClick) plot_->xAxis->setRange(0, std::max(1, frames_));
    return QWidget::eventFilter(watched, event);
}

}  // namespace nb
