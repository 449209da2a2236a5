#include "app/stations/live/live_lane.hpp"

#include <QMouseEvent>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace nb {

namespace {

constexpr double words_px = 138.0, figures_px = 74.0;
constexpr double lane_top_px = 8.0, between_px = 8.0, tick_px = 16.0;
constexpr double least_span_m = 0.1;

}  // namespace

LiveLane::LiveLane(LiveDesk& desk, QWidget* parent) : Drawing(parent), desk_(desk) {
    setMouseTracking(true);
    setAccessibleName(tr("Arrivals"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    connect(&desk_, &LiveDesk::looked, this, [this] { update(); });
    connect(&desk_, &LiveDesk::changed, this, [this] { update(); });
}

double LiveLane::x_of(double s) const {
    const double wide = std::max(1.0, drawn_width() - words_px - figures_px);
    return words_px + wide * (1.0 - (desk_.shown().now_s - s) / LiveDesk::lane_s);
}

double LiveLane::arrivals_height() const {
    return std::max(40.0, 0.5 * (drawn_height() - lane_top_px - between_px - tick_px));
}

void LiveLane::paint_arrivals(QPainter& painter) const {
    const LiveSession::Shown& shown = desk_.shown();
    const double high = arrivals_height();
    const double base = lane_top_px + high;
    const double wide = drawn_width() - figures_px;
    const double buffer_ms = desk_.buffer_ms();
    double most_ms = std::max(20.0, 1.6 * buffer_ms);
    for (const JitterBuffer::Arrival& arrival : shown.arrivals)
        most_ms = std::max(most_ms, std::min(300.0, 1.1e3 * arrival.behind_s));
    const auto y_of = [&](double ms) { return base - (high - 4.0) * std::min(1.0, ms / most_ms); };
    painter.setPen(look().text);
    painter.drawText(QRectF(10, lane_top_px, words_px - 16, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     tr("arrivals"));
    painter.setPen(look().dim);
    painter.setFont(letters(10));
    painter.drawText(QRectF(10, lane_top_px + 15, words_px - 16, 28), Qt::AlignLeft | Qt::TextWordWrap,
                     tr("ms behind the quickest;\nlate over the line"));
    if (!desk_.is_listening() || shown.arrivals.empty()) {
        painter.setFont(letters(12));
        painter.drawText(QRectF(words_px, lane_top_px, wide - words_px, high), Qt::AlignCenter,
                         desk_.is_listening() ? tr("nothing has come in the last seconds")
                                              : tr("a line a frame, once a stream is listened to"));
        return;
    }
    // What comes above the line is late.
    painter.setPen(QPen(look().dim, 1, Qt::DashLine));
    painter.drawLine(QPointF(words_px, y_of(buffer_ms)), QPointF(wide, y_of(buffer_ms)));
    painter.drawText(QRectF(wide + 6, y_of(buffer_ms) - 8, figures_px - 8, 16),
                     Qt::AlignLeft | Qt::AlignVCenter, tr("%1 ms").arg(buffer_ms, 0, 'f', 0));
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(words_px, base), QPointF(wide, base));
    for (const JitterBuffer::Arrival& arrival : shown.arrivals) {
        const double x = x_of(arrival.arrived_s);
        if (x < words_px) continue;
        if (arrival.missing_before > 0) {
            // A frame that never came leaves a hole that is seen.
            const double lost = std::max(2.0, std::min(40.0, double(arrival.missing_before)));
            painter.fillRect(QRectF(x - lost, lane_top_px + 2, lost, high - 2),
                             QBrush(look().mark, Qt::BDiagPattern));
        }
        const double y = y_of(1e3 * arrival.behind_s);
        const bool is_late = arrival.came == JitterBuffer::Came::late;
        painter.setPen(QPen(is_late ? look().mark : look().source, is_late ? 1.6 : 1.0));
        painter.drawLine(QPointF(x, base), QPointF(x, std::min(base - 2.0, y)));
        if (arrival.came == JitterBuffer::Came::twice) {
            painter.setPen(QPen(look().dim, 1));
            painter.drawEllipse(QPointF(x, y - 3), 2, 2);
        } else if (arrival.is_swapped) {
            painter.setPen(QPen(look().mark, 1));
            painter.drawLine(QPointF(x - 3, y - 5), QPointF(x + 3, y - 1));
            painter.drawLine(QPointF(x - 3, y - 1), QPointF(x + 3, y - 5));
        }
    }
}

void LiveLane::paint_heights(QPainter& painter) const {
    const double top = lane_top_px + arrivals_height() + between_px;
    const double base = drawn_height() - tick_px;
    const double wide = drawn_width() - figures_px;
    painter.setFont(letters(12));
    painter.setPen(look().text);
    painter.drawText(QRectF(10, top, words_px - 16, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     tr("hips' height"));
    painter.setFont(letters(10));
    painter.setPen(look().source);
    painter.drawText(QRectF(10, top + 15, words_px - 16, 14), Qt::AlignLeft, tr("of the stream"));
    painter.setPen(look().dim);
    painter.drawText(QRectF(10, top + 28, words_px - 16, 14), Qt::AlignLeft, tr("of the file"));
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(words_px, base), QPointF(wide, base));
    for (int s = 0; s <= int(LiveDesk::lane_s); ++s) {
        const double x = x_of(desk_.shown().now_s - s);
        painter.setPen(look().dim);
        painter.drawText(QRectF(x - 30, base + 2, 60, 12), Qt::AlignCenter,
                         s == 0 ? tr("now") : tr("−%1 s").arg(s));
    }
    const auto& heights = desk_.heights();
    if (heights.size() < 2) return;
    double low = 1e9, most = -1e9;
    for (const LiveDesk::Height& at : heights)
        for (const double m : {at.stream_m, at.take_m.value_or(at.stream_m)}) {
            low = std::min(low, m);
            most = std::max(most, m);
        }
    const double middle = 0.5 * (low + most), span = std::max(least_span_m, 1.15 * (most - low));
    const auto y_of = [&](double m) { return base - (base - top) * ((m - middle) / span + 0.5); };
    QPainterPath stream, file;
    bool is_in_file = false;
    double before_s = -1e9;
    for (const LiveDesk::Height& at : heights) {
        const QPointF point(x_of(at.now_s), y_of(at.stream_m));
        // Where nothing came nothing is drawn.
        if (at.now_s - before_s > stale_after_s)
            stream.moveTo(point);
        else
            stream.lineTo(point);
        before_s = at.now_s;
        if (at.take_m) {
            const QPointF there(point.x(), y_of(*at.take_m));
            is_in_file ? file.lineTo(there) : file.moveTo(there);
        }
        is_in_file = at.take_m.has_value();
    }
    painter.save();
    painter.setClipRect(QRectF(words_px, top - 2, wide - words_px, base - top + 4));
    painter.setPen(QPen(look().dim, 2.5));
    painter.drawPath(file);
    painter.setPen(QPen(look().source, 1.4));
    painter.drawPath(stream);
    painter.restore();
    painter.setPen(look().text);
    painter.setFont(letters(11));
    painter.drawText(QRectF(wide + 6, y_of(heights.back().stream_m) - 8, figures_px - 8, 16),
                     Qt::AlignLeft | Qt::AlignVCenter,
                     tr("%1 cm").arg(100 * heights.back().stream_m, 0, 'f', 1));
}

void LiveLane::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    paint_arrivals(painter);
    paint_heights(painter);
}

void LiveLane::mouseMoveEvent(QMouseEvent* event) {
    const double x = drawn_at(event->position()).x();
    const JitterBuffer::Arrival* nearest = nullptr;
    double least = 6.0;
    for (const JitterBuffer::Arrival& arrival : desk_.shown().arrivals)
        if (const double off = std::abs(x_of(arrival.arrived_s) - x); off < least) {
            least = off;
            nearest = &arrival;
        }
    if (!nearest) return;
    QString line = tr("frame %1 came %2 ms behind the quickest")
                       .arg(nearest->number)
                       .arg(1e3 * nearest->behind_s, 0, 'f', 1);
    if (nearest->came == JitterBuffer::Came::late)
        line += tr(": too late for a buffer of %1 ms").arg(desk_.buffer_ms());
    if (nearest->came == JitterBuffer::Came::twice) line += tr("; it had come before");
    if (nearest->is_swapped) line += tr("; after a later one");
    if (nearest->missing_before > 0) line += tr("; before it %1 never came").arg(nearest->missing_before);
    setToolTip(line);
}

void LiveLane::leaveEvent(QEvent* event) {
    Drawing::leaveEvent(event);
    setToolTip({});
}

}  // namespace nb
