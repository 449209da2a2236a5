#include "app/stations/touch_up/touch_lanes.hpp"

#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace nb {

namespace {

constexpr int grip_px = 6;
constexpr double rise_px = 17.0;  // a whole weight
constexpr int least_lanes = 2;

}  // namespace

TouchLanes::TouchLanes(Workspace& workspace, Playback& playback, TouchEdits& edits, QWidget* parent)
    : Drawing(parent), workspace_(workspace), playback_(playback), edits_(edits) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Touch-ups"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::MinimumExpanding);
    connect(&edits_, &TouchEdits::changed, this, [this] {
        updateGeometry();
        update();
    });
    connect(&playback_, &Playback::frame_changed, this, [this] { update(); });
}

int TouchLanes::height_px() const {
    return std::max(least_lanes, int(edits_.all().size())) * lane_px + 8;
}

double TouchLanes::x_of_time(double t_s) const {
    return frame_scale().x_of((t_s - workspace_.time_s(0)) / playback_.frame_time_s());
}

double TouchLanes::time_at(double x) const {
    const double frame = frame_scale().frame_at(x);
    return workspace_.time_s(0) + (is_snapping_ ? std::round(frame) : frame) * playback_.frame_time_s();
}

double TouchLanes::weight_y(int lane, double weight) const {
    return lane * lane_px + lane_px - 3 - rise_px * weight;
}

QPoint TouchLanes::place_of(int lane, Grip grip) const {
    const std::vector<TouchAt> all = edits_.all();
    if (lane < 0 || lane >= int(all.size())) return {};
    const TouchSpan& when = edits_.touch(all[size_t(lane)])->when;
    const double t = grip == Grip::begin  ? when.begin_s()
                     : grip == Grip::from ? when.from_s
                     : grip == Grip::to   ? when.to_s
                     : grip == Grip::end  ? when.end_s()
                                          : 0.5 * (when.from_s + when.to_s);
    const bool is_low = grip == Grip::begin || grip == Grip::end;
    const double y = weight_y(lane, is_low ? 0.0 : grip == Grip::whole ? 0.5 : 1.0);
    return seen({x_of_time(t), y}).toPoint();
}

int TouchLanes::lane_at(const QPointF& at) const {
    const int lane = int(drawn_at(at).y()) / lane_px;
    return lane >= 0 && lane < int(edits_.all().size()) ? lane : -1;
}

TouchLanes::Grip TouchLanes::grip_at(int lane, const QPointF& at) const {
    const TouchUp* touch = edits_.touch(edits_.all()[size_t(lane)]);
    if (touch->when.is_whole) return Grip::none;
    Grip best = Grip::none;
    double nearest = grip_px * text_scale();
    for (const Grip grip : {Grip::from, Grip::to, Grip::begin, Grip::end}) {
        const QPointF off = QPointF(place_of(lane, grip)) - at;
        const double distance = std::hypot(off.x(), 0.5 * off.y());
        if (distance < nearest) {
            nearest = distance;
            best = grip;
        }
    }
    if (best != Grip::none) return best;
    const double x = drawn_at(at).x();
    return x > x_of_time(touch->when.begin_s()) && x < x_of_time(touch->when.end_s()) ? Grip::whole
                                                                                      : Grip::none;
}

void TouchLanes::paint_lane(QPainter& painter, int lane, const TouchAt& at) const {
    const TouchUp& touch = *edits_.touch(at);
    const TouchLayer& layer = *edits_.layer(at);
    const bool is_in_hand = at == edits_.in_hand();
    const bool is_idle = layer.is_idle();
    const double left = FrameScale::left_px;
    const double right = drawn_width() - FrameScale::right_px;
    const double base = weight_y(lane, 0.0);
    if (is_in_hand)
        painter.fillRect(QRectF(0, lane * lane_px + 1, drawn_width(), lane_px - 2), look().raised);
    QColor name = is_idle ? look().dim : look().text;
    painter.setPen(name);
    painter.setFont(letters(12));
    const QRectF words(10, lane * lane_px + 2, left - 18, 16);
    const QFontMetricsF metrics(painter.font());
    painter.drawText(words, Qt::AlignLeft | Qt::AlignVCenter,
                     metrics.elidedText(touch_where(touch), Qt::ElideRight, words.width()));
    painter.setPen(look().dim);
    painter.setFont(letters(10));
    const QString about = is_idle
                              ? tr("%1 · muted").arg(touch_kind_word(touch.kind))
                              : tr("%1 · %2").arg(touch_kind_word(touch.kind), touch_level_word(at.level));
    painter.drawText(words.translated(0, 14), Qt::AlignLeft | Qt::AlignVCenter,
                     QFontMetricsF(painter.font()).elidedText(about, Qt::ElideRight, words.width()));
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(left, base), QPointF(right, base));

    const double full = is_idle ? 1.0 : layer.weight;
    QPainterPath shape;
    const double from = touch.when.is_whole ? left : std::clamp(x_of_time(touch.when.begin_s()), left, right);
    const double to = touch.when.is_whole ? right : std::clamp(x_of_time(touch.when.end_s()), left, right);
    shape.moveTo(from, base);
    for (double x = from; x <= to; x += 1.0)
        shape.lineTo(x, base - rise_px * full *
                                   touch.when.weight(workspace_.time_s(0) +
                                                     frame_scale().frame_at(x) * playback_.frame_time_s()));
    shape.lineTo(to, base);
    QColor fill = is_in_hand ? look().mark : look().dim;
    fill.setAlphaF(is_idle ? 0.12F : is_in_hand ? 0.35F : 0.28F);
    painter.fillPath(shape, fill);
    painter.setPen(QPen(is_idle ? look().line : is_in_hand ? look().mark : look().text, 1.2));
    painter.drawPath(shape);
    painter.setFont(letters(11));
    painter.setPen(is_idle ? look().dim : look().text);
    const QString text = touch_words(touch);
    const double wide = QFontMetricsF(painter.font()).horizontalAdvance(text) + 4;
    const double middle = std::clamp(0.5 * (from + to), left + 0.5 * wide, right - 0.5 * wide);
    painter.drawText(QRectF(middle - 0.5 * wide, lane * lane_px - 1, wide, 14), Qt::AlignCenter, text);
    if (!is_in_hand || touch.when.is_whole) return;
    painter.setBrush(look().mark);
    painter.setPen(Qt::NoPen);
    for (const Grip grip : {Grip::begin, Grip::from, Grip::to, Grip::end}) {
        const QPointF p = drawn_at(place_of(lane, grip));
        if (p.x() >= left - 1 && p.x() <= right + 1) painter.drawRect(QRectF(p.x() - 2.5, p.y() - 2.5, 5, 5));
    }
    painter.setBrush(Qt::NoBrush);
}

void TouchLanes::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    const std::vector<TouchAt> all = edits_.all();
    for (int lane = 0; lane < int(all.size()); ++lane) paint_lane(painter, lane, all[size_t(lane)]);
    if (all.empty()) {
        painter.setPen(look().dim);
        painter.setFont(letters(12));
        painter.drawText(
            drawn_rect().adjusted(FrameScale::left_px, 0, -FrameScale::right_px, 0),
            Qt::AlignCenter | Qt::TextWordWrap,
            tr("Nothing is touched up. Pick a bone on the target and drag a hoop, or add something "
               "beside the stage; here you then drag when it arrives, holds and goes."));
    }
    const double shown_x = frame_scale().x_of(playback_.frame() + 0.5);
    painter.setPen(QPen(look().mark, 1.4));
    painter.drawLine(QPointF(shown_x, 0), QPointF(shown_x, drawn_height()));
}

void TouchLanes::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const int lane = lane_at(event->position());
    if (lane < 0) return;
    const TouchAt at = edits_.all()[size_t(lane)];
    edits_.take_in_hand(at);
    const Grip grip = grip_at(lane, event->position());
    if (grip == Grip::none) {
        const int frame = int(frame_scale().frame_at(drawn_at(event->position()).x()));
        if (frame >= 0 && frame < playback_.frames()) playback_.go_to(frame);
        return;
    }
    drag_ =
        Drag{at, grip, edits_.touch(at)->when, time_at(drawn_at(event->position()).x()), edits_.new_topic()};
}

void TouchLanes::mouseMoveEvent(QMouseEvent* event) {
    if (!drag_) {
        const int lane = lane_at(event->position());
        const Grip grip = lane < 0 ? Grip::none : grip_at(lane, event->position());
        setCursor(grip == Grip::none    ? Qt::ArrowCursor
                  : grip == Grip::whole ? Qt::SizeAllCursor
                                        : Qt::SizeHorCursor);
        return;
    }
    const double t = time_at(drawn_at(event->position()).x());
    const TouchSpan before = drag_->before;
    TouchSpan now = before;
    switch (drag_->grip) {
        case Grip::begin:
            now.arrive_s = std::max(0.0, before.from_s - t);
            break;
        case Grip::from:
            now.from_s = std::min(t, before.to_s);
            now.arrive_s = std::max(0.0, now.from_s - before.begin_s());
            break;
        case Grip::to:
            now.to_s = std::max(t, before.from_s);
            now.release_s = std::max(0.0, before.end_s() - now.to_s);
            break;
        case Grip::end:
            now.release_s = std::max(0.0, t - before.to_s);
            break;
        case Grip::whole:
            now.from_s += t - drag_->taken_s;
            now.to_s += t - drag_->taken_s;
            break;
        case Grip::none:
            break;
    }
    edits_.change(drag_->at, tr("when a touch-up acts"), drag_->topic,
                  [&](TouchUp& touch) { touch.when = now; });
    emit explained(tr("arrives from %1 s, whole %2 to %3 s, gone at %4 s")
                       .arg(now.begin_s(), 0, 'f', 2)
                       .arg(now.from_s, 0, 'f', 2)
                       .arg(now.to_s, 0, 'f', 2)
                       .arg(now.end_s(), 0, 'f', 2));
}

void TouchLanes::mouseReleaseEvent(QMouseEvent*) {
    drag_.reset();
}

void TouchLanes::contextMenuEvent(QContextMenuEvent* event) {
    const int lane = lane_at(event->pos());
    QMenu menu(this);
    const double now_s = workspace_.time_s(playback_.frame());
    if (lane >= 0) {
        const TouchAt at = edits_.all()[size_t(lane)];
        edits_.take_in_hand(at);
        const TouchUp& touch = *edits_.touch(at);
        menu.addAction(tr("Copy"), this, [this, at] { edits_.copy(at); });
        if (mirrored_role(touch.what) != touch.what)
            menu.addAction(tr("To the other side"), this, [this, at] { edits_.mirror(at); });
        menu.addAction(edits_.layer(at)->is_muted ? tr("Let its layer act") : tr("Mute its layer"), this,
                       [this, at] { edits_.mute(at, !edits_.layer(at)->is_muted); });
        menu.addAction(tr("Its layer alone, or all again"), this, [this, at] { edits_.solo(at); });
        menu.addAction(tr("Remove"), this, [this, at] { edits_.remove(at); });
    }
    if (edits_.has_copy())
        menu.addAction(tr("Paste at this frame"), this, [this, now_s] { edits_.paste(now_s); });
    if (!menu.isEmpty()) menu.exec(event->globalPos());
}

void TouchLanes::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Delete && edits_.touch_in_hand()) return edits_.remove(edits_.in_hand());
    Drawing::keyPressEvent(event);
}

}  // namespace nb
