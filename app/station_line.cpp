#include "app/station_line.hpp"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>

#include "app/look.hpp"

namespace nb {

namespace {
// The knots hang at uneven distances: work on bodies close together, the transfer apart.
constexpr std::array<double, station_count> places{0.07, 0.19, 0.29, 0.40, 0.56, 0.70, 0.87};
constexpr int line_x = 16;
}  // namespace

QString station_name(Station station) {
    switch (station) {
        case Station::intake:
            return QObject::tr("Intake");
        case Station::roles:
            return QObject::tr("Roles");
        case Station::rest:
            return QObject::tr("Rest");
        case Station::chains:
            return QObject::tr("Chains");
        case Station::transfer:
            return QObject::tr("Transfer");
        case Station::touch_up:
            return QObject::tr("Touch-up");
        case Station::hand_over:
            return QObject::tr("Hand over");
    }
    return {};
}

QString station_promise(Station station) {
    switch (station) {
        case Station::intake:
            return QObject::tr(
                "What is in the files of take and target, what is odd about them, and how to repair it.");
        case Station::roles:
            return QObject::tr(
                "Which bone plays which part of the body, how sure, and why; and to give it by hand.");
        case Station::rest:
            return QObject::tr(
                "How far apart the two bodies stand at rest; one stance for both, solved at once, corrected "
                "by "
                "the degree.");
        case Station::chains:
            return QObject::tr(
                "Which chain drives which, to one scale; what of each crosses; the bone map and what to "
                "expect.");
        case Station::transfer:
            return QObject::tr("Carries the take onto the target and shows how well it arrives.");
        case Station::touch_up:
            return QObject::tr("Here small corrections will be laid over the transfer, keyed and eased.");
        case Station::hand_over:
            return QObject::tr(
                "Here results will be baked, named and written; until then Ctrl+E writes this transfer.");
    }
    return {};
}

StationLine::StationLine(QWidget* parent) : QWidget(parent) {
    setFixedWidth(96);
    setMouseTracking(true);
    setFocusPolicy(Qt::TabFocus);
    setAccessibleName(tr("Stations"));
}

void StationLine::set_station(Station station) {
    station_ = station;
    update();
    emit station_chosen(station);
}

void StationLine::set_open_points(Station station, int count) {
    open_points_[size_t(station)] = count;
    update();
}

QPoint StationLine::place_of(Station station) const {
    return {line_x, int(places[size_t(station)] * height())};
}

int StationLine::station_at(const QPointF& at) const {
    for (int i = 0; i < station_count; ++i)
        if (std::abs(at.y() - places[size_t(i)] * height()) < 18) return i;
    return -1;
}

void StationLine::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), look().ground);
    painter.setPen(QPen(look().line, 2));
    painter.drawLine(QPointF(line_x, 0), QPointF(line_x, height()));
    for (int i = 0; i < station_count; ++i) {
        const QPointF at = place_of(Station(i));
        const bool is_here = int(station_) == i;
        const QColor tone = is_here ? look().mark : i == hovered_ ? look().text : look().dim;
        // A knot: a bight over the line.
        QPainterPath knot;
        knot.moveTo(at + QPointF(0, -7));
        knot.cubicTo(at + QPointF(9, -7), at + QPointF(9, 5), at + QPointF(-1, 4));
        knot.cubicTo(at + QPointF(-8, 3), at + QPointF(-6, -4), at + QPointF(1, -3));
        painter.setPen(QPen(tone, is_here ? 2.6 : 1.8, Qt::SolidLine, Qt::RoundCap));
        painter.setBrush(Qt::NoBrush);
        painter.drawPath(knot);
        QFont own = font();
        own.setBold(is_here);
        painter.setFont(own);
        painter.setPen(tone);
        painter.drawText(QRectF(at.x() + 14, at.y() - 10, 70, 20), Qt::AlignVCenter | Qt::AlignLeft,
                         station_name(Station(i)));
        if (const int count = open_points_[size_t(i)]; count > 0) {
            own.setBold(false);
            own.setPixelSize(10);
            painter.setFont(own);
            painter.setPen(look().mark);
            painter.drawText(QRectF(at.x() + 14, at.y() + 8, 74, 14), Qt::AlignLeft,
                             tr("%1 open").arg(count));
        }
        if (is_here && hasFocus()) {
            painter.setPen(QPen(look().mark, 1, Qt::DotLine));
            painter.drawRect(QRectF(at.x() + 11, at.y() - 11, 72, 22));
        }
    }
}

void StationLine::mousePressEvent(QMouseEvent* event) {
    if (const int i = station_at(event->position()); i >= 0) set_station(Station(i));
}

void StationLine::mouseMoveEvent(QMouseEvent* event) {
    hovered_ = station_at(event->position());
    setCursor(hovered_ >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    update();
}

void StationLine::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)
        set_station(Station(
            std::clamp(int(station_) + (event->key() == Qt::Key_Down ? 1 : -1), 0, station_count - 1)));
    else
        QWidget::keyPressEvent(event);
}

bool StationLine::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const int i = station_at(help->pos());
        if (i >= 0)
            QToolTip::showText(
                help->globalPos(),
                tr("%1 (F%2)\n%3").arg(station_name(Station(i))).arg(i + 1).arg(station_promise(Station(i))),
                this);
        else
            QToolTip::hideText();
        return true;
    }
    return QWidget::event(event);
}

}  // namespace nb
