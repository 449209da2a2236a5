#include "app/stations/transfer/error_strip.hpp"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <cmath>

#include "app/look/look.hpp"
#include "app/stations/roles/rails_view.hpp"

namespace nb {

QString measure_name(ReviewMeasure measure) {
    switch (measure) {
        case ReviewMeasure::slide:
            return QObject::tr("foot slide");
        case ReviewMeasure::source_slide:
            return QObject::tr("the capture's own foot slide");
        case ReviewMeasure::height:
            return QObject::tr("held point off its support");
        case ReviewMeasure::below:
            return QObject::tr("below the floor");
        case ReviewMeasure::tip:
            return QObject::tr("tip beside its limb");
        case ReviewMeasure::direction:
            return QObject::tr("direction of bones");
        case ReviewMeasure::bend:
            return QObject::tr("bend plane");
        case ReviewMeasure::wring:
            return QObject::tr("roll between bones");
        case ReviewMeasure::turn_change:
            return QObject::tr("pops");
        case ReviewMeasure::gap:
            return QObject::tr("hand off what it touches");
        case ReviewMeasure::depth:
            return QObject::tr("arm inside the body");
        case ReviewMeasure::range:
            return QObject::tr("beyond people's joints");
        case ReviewMeasure::held:
            return QObject::tr("hand slides on what it holds");
        case ReviewMeasure::head:
            return QObject::tr("head travel not kept");
        case ReviewMeasure::jitter:
            return QObject::tr("jitter over the source's");
    }
    return {};
}

QString measure_unit(ReviewMeasure measure) {
    switch (measure) {
        case ReviewMeasure::slide:
        case ReviewMeasure::source_slide:
            return "cm/s";
        case ReviewMeasure::height:
        case ReviewMeasure::below:
        case ReviewMeasure::tip:
        case ReviewMeasure::gap:
        case ReviewMeasure::depth:
        case ReviewMeasure::held:
        case ReviewMeasure::head:
            return "cm";
        case ReviewMeasure::jitter:
            return "x";
        case ReviewMeasure::turn_change:
            return QString::fromUtf8("°/s");
        default:
            return QString::fromUtf8("°");
    }
}

ErrorStrip::ErrorStrip(Workspace& workspace, Playback& playback, QWidget* parent)
    : Drawing(parent), workspace_(workspace), playback_(playback) {
    setMouseTracking(true);
    setAccessibleName(tr("Error strip"));
    for (const auto signal :
         {&Workspace::review_changed, &Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, &ErrorStrip::draw_anew);
    // Only the line that stands for the frame moves.
    connect(&playback_, &Playback::frame_changed, this, [this] {
        for (const double x : {shown_x_, x_of(playback_.frame() + 0.5)}) update_column(x);
    });
}

void ErrorStrip::draw_anew() {
    rows_picture_ = {};
    update();
}

void ErrorStrip::set_measure(ReviewMeasure measure) {
    measure_ = measure;
    draw_anew();
}

void ErrorStrip::compare_with(std::shared_ptr<const Review> before) {
    before_ = std::move(before);
    draw_anew();
}

std::vector<const ReviewSeries*> ErrorStrip::rows() const {
    std::vector<const ReviewSeries*> result;
    if (const auto review = workspace_.review())
        for (const ReviewSeries& series : review->series)
            if (series.measure == measure_) result.push_back(&series);
    return result;
}

double ErrorStrip::full_scale() const {
    // Round numbers that hold the 99.5th percentile, so that one spike does not flatten the rest.
    std::vector<float> values;
    for (const ReviewSeries* row : rows())
        for (const float v : row->values)
            if (v > 0) values.push_back(v);
    if (values.empty()) return 1.0;
    const auto at = values.begin() + std::ptrdiff_t(double(values.size() - 1) * 0.995);
    std::nth_element(values.begin(), at, values.end());
    for (const double step : {0.5, 1.0, 2.0, 4.0, 5.0, 10.0, 20.0, 40.0, 60.0, 100.0, 180.0})
        if (double(*at) <= step) return step;
    return double(*at);
}

int ErrorStrip::frame_at(double x) const {
    return std::clamp(int(frame_scale().frame_at(x)), 0, std::max(0, playback_.frames() - 1));
}

QRectF ErrorStrip::row_rect(int row, int count) const {
    const double top = 16;
    const double each = (drawn_height() - top - 4.0) / std::max(1, count);
    return {double(left_px), top + each * row, double(drawn_width() - left_px - right_px), each};
}

void ErrorStrip::paintEvent(QPaintEvent* event) {
    const double ratio = devicePixelRatioF();
    if (rows_picture_.size() != size() * ratio || pictured_look_ != look().is_paper) {
        rows_picture_ = QPixmap(size() * ratio);
        rows_picture_.setDevicePixelRatio(ratio);
        pictured_look_ = look().is_paper;
        QPainter painter(&rows_picture_);
        paint_rows(painter);
    }
    QPainter painter(this);
    painter.setClipRegion(event->region());
    painter.drawPixmap(0, 0, rows_picture_);
    if (!workspace_.review()) return;
    start(painter, false);
    shown_x_ = x_of(playback_.frame() + 0.5);
    painter.setPen(QPen(look().mark, 1.4));
    painter.drawLine(QPointF(shown_x_, 0), QPointF(shown_x_, drawn_height()));
}

void ErrorStrip::paint_rows(QPainter& painter) const {
    start(painter);
    const auto review = workspace_.review();
    if (!review) {
        painter.setPen(look().dim);
        painter.drawText(drawn_rect(), Qt::AlignCenter,
                         workspace_.target()
                             ? tr("measuring …")
                             : tr("The strip shows where the transfer falls short once there is one."));
        return;
    }
    const auto all = rows();
    const double full = full_scale();
    const int frames = playback_.frames();
    for (int i = 0; i < int(all.size()); ++i) {
        const QRectF row = row_rect(i, int(all.size()));
        painter.setPen(look().text);
        painter.drawText(QRectF(12, row.top(), left_px - 20, row.height()), Qt::AlignVCenter | Qt::AlignLeft,
                         side_and_role(all[size_t(i)]->row));
        painter.setPen(QPen(look().line, 1));
        painter.drawLine(row.bottomLeft(), row.bottomRight());
        // A bar a pixel column: the worst frame in it, by height and tone.
        const auto& values = all[size_t(i)]->values;
        const int columns = std::min(int(row.width()), frames);
        if (columns < 1) continue;
        const double wide = row.width() / columns;
        const auto share_of = [&](const std::vector<float>& of, int c) {
            const int from = int(std::int64_t(c) * frames / columns);
            const int to = std::max(from + 1, int(std::int64_t(c + 1) * frames / columns));
            float worst = 0;
            for (int f = from; f < to && f < int(of.size()); ++f) worst = std::max(worst, of[size_t(f)]);
            return std::min(1.0, double(worst) / full);
        };
        for (int c = 0; c < columns; ++c) {
            const double share = share_of(values, c);
            if (share < 0.02) continue;
            const double tall = (row.height() - 3) * share;
            painter.fillRect(
                QRectF(row.left() + c * wide, row.bottom() - tall, wide > 2 ? wide - 0.6 : wide, tall),
                look().measure(share));
        }
        const ReviewSeries* was = before_ ? before_->find_series(measure_, all[size_t(i)]->row) : nullptr;
        if (!was || before_->frames != review->frames) continue;
        QPolygonF line;
        for (int c = 0; c < columns; ++c)
            line << QPointF(row.left() + (c + 0.5) * wide,
                            row.bottom() - (row.height() - 3) * share_of(was->values, c));
        painter.setPen(QPen(look().text, 0.7));
        painter.drawPolyline(line);
    }
    // Legend.
    const QRectF legend(drawn_width() - right_px - 150.0, 0, 150, 12);
    painter.setPen(look().dim);
    const QFont small = letters(11);
    painter.setFont(small);
    for (int i = 0; i < 40; ++i)
        painter.fillRect(QRectF(legend.left() + 30 + i * 1.6, 4, 1.7, 6), look().measure(i / 39.0));
    painter.drawText(QRectF(legend.left(), 0, 26, 14), Qt::AlignRight | Qt::AlignVCenter, "0");
    painter.drawText(QRectF(legend.left() + 98, 0, 60, 14), Qt::AlignLeft | Qt::AlignVCenter,
                     QString("%1 %2").arg(full).arg(measure_unit(measure_)));
}

QString ErrorStrip::why(const QString& row, int frame) const {
    const auto review = workspace_.review();
    const auto* series = review ? review->find_series(measure_, row.toStdString()) : nullptr;
    if (!series || frame < 0 || size_t(frame) >= series->values.size()) return {};
    const double value = double(series->values[size_t(frame)]);
    const QString who = side_and_role(row.toStdString());
    const auto told = [&](const QString& text, int places) {
        return text.arg(who).arg(value, 0, 'f', places).arg(frame);
    };
    if (value <= 0.0)
        return measure_ == ReviewMeasure::slide
                   ? tr("%1 does not rest in frame %2: slide is not measured there.").arg(who).arg(frame)
               : measure_ == ReviewMeasure::gap
                   ? tr("%1 touches nothing in frame %2, or lies on it.").arg(who).arg(frame)
               : measure_ == ReviewMeasure::depth
                   ? tr("%1 is outside the body in frame %2.").arg(who).arg(frame)
               : measure_ == ReviewMeasure::range
                   ? tr("%1 turns no farther than people's joints do in frame %2.").arg(who).arg(frame)
               : measure_ == ReviewMeasure::held
                   ? tr("%1 holds nothing in frame %2, or does not slide on it.").arg(who).arg(frame)
               : measure_ == ReviewMeasure::jitter
                   ? tr("%1 shakes no more than the source's in frame %2.").arg(who).arg(frame)
                   : tr("%1 is exact in frame %2.").arg(who).arg(frame);
    if (measure_ == ReviewMeasure::range)
        return told(tr("%1 turns %2° farther than people's joints do, in frame %3."), 0);
    if (measure_ == ReviewMeasure::held)
        return told(
            tr("%1 is %2 cm from where it lies in the mean of this hold, on what it holds, in frame %3."), 2);
    if (measure_ == ReviewMeasure::head)
        return told(
            tr("%1: of its travel over the hips %2 cm are not as the source's in frame %3, at 175 cm."), 1);
    if (measure_ == ReviewMeasure::jitter)
        return told(
            tr("%1 shakes more than the source's by %2 times, over a fifth of a second about frame %3."), 1);
    if (measure_ == ReviewMeasure::gap)
        return told(tr("%1 is %2 cm off the skin that it touches in the take, in frame %3, by the mesh."), 1);
    if (measure_ == ReviewMeasure::depth)
        return told(tr("%1: hand or forearm is %2 cm inside the body in frame %3, by the mesh."), 1);
    if (measure_ == ReviewMeasure::slide) {
        const double own = double(
            review->find_series(ReviewMeasure::source_slide, row.toStdString())->values[size_t(frame)]);
        const PairingSettings& settings = workspace_.settings();
        const bool is_held = settings.passes.contacts && settings.passes.reach;
        const QString owner = own > 0.8 * value ? tr("the take's own, at the end of a contact")
                              : is_held ? tr("at the end of a contact; drag it in the lanes to hold longer")
                                        : tr("contacts are left out, nothing holds it");
        return told(tr("%1 slides %2 cm/s in frame %3, at 175 cm; the capture %4: %5."), 1)
            .arg(own, 0, 'f', 1)
            .arg(owner);
    }
    if (measure_ == ReviewMeasure::height)
        return told(tr("%1: heel or ball is held %2 cm off its support in frame %3."), 2);
    if (measure_ == ReviewMeasure::below)
        return told(tr("%1: heel, ball or toe tip is %2 cm below the floor in frame %3."), 2);
    if (measure_ == ReviewMeasure::wring)
        return told(tr("%1 is rolled by %2° against the next bone in frame %3; twist bones spread it."), 1);
    if (measure_ == ReviewMeasure::turn_change)
        return told(
            tr("%1 turns faster by %2°/s from one frame to the next at frame %3; the source does not."), 0);
    if (measure_ == ReviewMeasure::bend)
        return told(tr("%1 bends in a plane %2° beside the source's in frame %3."), 1);
    const bool is_leg = row.startsWith("leg") || row.startsWith("thigh") || row.startsWith("shin");
    const std::string limb =
        (is_leg ? "leg" : "arm") + std::string(side_suffix(role_side(row.toStdString())));
    const bool by_tip =
        workspace_.plan() && workspace_.settings().passes.reach &&
        settings_of(workspace_.plan()->report.chains, limb).carry.value_or(Carry::angles) != Carry::angles;
    if (measure_ == ReviewMeasure::tip)
        return by_tip && is_leg && workspace_.settings().passes.contacts
                   ? told(tr("%1: its tip is %2 cm from where the source's is, in frame %3: the foot is held "
                             "on the floor, and the hips give way."),
                          1)
               : by_tip ? told(tr("%1: its tip is %2 cm from where the source's is, in frame %3: out of "
                                  "reach by the length of this side."),
                               1)
                        : told(tr("%1: its tip is %2 cm from where the source's is, in frame %3, since only "
                                  "angles are carried; carry the tip to close it."),
                               1);
    return by_tip ? told(tr("%1 points %2° beside the source's in frame %3: the price of carrying the tip "
                            "onto unlike segments."),
                         1)
                  : told(tr("%1 points %2° beside the source's in frame %3."), 2);
}

int ErrorStrip::next_worst() const {
    struct Event {
        float value;
        int frame;
    };
    std::vector<Event> events;
    for (const ReviewSeries* row : rows()) {
        const auto& v = row->values;
        for (size_t f = 1; f + 1 < v.size(); ++f)
            if (v[f] > 0 && v[f] >= v[f - 1] && v[f] > v[f + 1]) events.push_back({v[f], int(f)});
    }
    if (events.empty()) return -1;
    std::sort(events.begin(), events.end(), [](const Event& a, const Event& b) { return a.value > b.value; });
    const auto here = std::find_if(events.begin(), events.end(),
                                   [this](const Event& e) { return e.frame == playback_.frame(); });
    if (here == events.end() || here + 1 == events.end()) return events.front().frame;
    return (here + 1)->frame;
}

void ErrorStrip::mousePressEvent(QMouseEvent* event) {
    const int frame = frame_at(drawn_at(event->position()).x());
    playback_.play(false);
    playback_.go_to(frame);
    const auto all = rows();
    for (int i = 0; i < int(all.size()); ++i)
        if (row_rect(i, int(all.size())).adjusted(-left_px, 0, 0, 0).contains(drawn_at(event->position())))
            emit explained(why(QString::fromStdString(all[size_t(i)]->row), frame));
}

void ErrorStrip::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() & Qt::LeftButton) playback_.go_to(frame_at(drawn_at(event->position()).x()));
}

bool ErrorStrip::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const auto all = rows();
        for (int i = 0; i < int(all.size()); ++i)
            if (row_rect(i, int(all.size())).contains(drawn_at(help->pos()))) {
                QToolTip::showText(
                    help->globalPos(),
                    why(QString::fromStdString(all[size_t(i)]->row), frame_at(drawn_at(help->pos()).x())),
                    this);
                return true;
            }
        QToolTip::hideText();
        return true;
    }
    return Drawing::event(event);
}

}  // namespace nb
