#include "app/window/station_line.hpp"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <algorithm>

#include "app/look/look.hpp"

namespace nb {

namespace {
constexpr int line_x = 16;
constexpr double below_last = 1.2;  ///< of the line, in the shares of StationAbout::apart
}  // namespace

StationLine::StationLine(StationList list, QWidget* parent)
    : Drawing(parent), list_(std::move(list)), open_points_(list_.size(), 0) {
    when_scaled(this, [this] { setFixedWidth(scaled(96)); });
    setMouseTracking(true);
    setFocusPolicy(Qt::TabFocus);
    setAccessibleName(tr("Stations"));
    count_.setSingleShot(true);
    count_.setInterval(60);
    connect(&count_, &QTimer::timeout, this, &StationLine::count_open_points);
    double whole = below_last;
    for (const Station* station : list_) whole += station->about().apart;
    double at = 0.0;
    for (const Station* station : list_) places_.push_back((at += station->about().apart) / whole);
    here_ = std::max(0, index_of("transfer"));
}

int StationLine::index_of(const QString& id) const {
    const auto at =
        std::find_if(list_.begin(), list_.end(), [&](const Station* one) { return one->about().id == id; });
    return at == list_.end() ? -1 : int(at - list_.begin());
}

void StationLine::go(int index) {
    here_ = index;
    update();
    emit station_chosen();
}

void StationLine::set_station(const QString& id) {
    if (const int index = index_of(id); index >= 0) go(index);
}

int StationLine::open_points(const QString& station) const {
    const int index = index_of(station);
    return index < 0 ? 0 : open_points_[size_t(index)];
}

void StationLine::count_open_points() {
    for (size_t i = 0; i < list_.size(); ++i) open_points_[i] = list_[i]->open_points();
    update();
}

QPoint StationLine::place(int index) const {
    return {line_x, int(places_[size_t(index)] * drawn_height())};
}

QPoint StationLine::place_of(const QString& id) const {
    return place(index_of(id));
}

int StationLine::station_at(const QPointF& at) const {
    int nearest = -1;
    double off = 18.0;
    for (int i = 0; i < int(list_.size()); ++i)
        if (const double there = std::abs(at.y() - places_[size_t(i)] * drawn_height()); there < off) {
            off = there;
            nearest = i;
        }
    return nearest;
}

void StationLine::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    painter.setPen(QPen(look().line, 2));
    painter.drawLine(QPointF(line_x, 0), QPointF(line_x, drawn_height()));
    for (int i = 0; i < int(list_.size()); ++i) {
        const QPointF at = place(i);
        const bool is_here = here_ == i;
        const QColor tone = is_here ? look().mark : i == hovered_ ? look().text : look().dim;
        // A knot: a bight over the line.
        QPainterPath knot;
        knot.moveTo(at + QPointF(0, -7));
        knot.cubicTo(at + QPointF(9, -7), at + QPointF(9, 5), at + QPointF(-1, 4));
        knot.cubicTo(at + QPointF(-8, 3), at + QPointF(-6, -4), at + QPointF(1, -3));
        painter.setPen(QPen(tone, is_here ? 2.6 : 1.8, Qt::SolidLine, Qt::RoundCap));
        painter.setBrush(Qt::NoBrush);
        painter.drawPath(knot);
        QFont own = letters();
        own.setBold(is_here);
        painter.setFont(own);
        painter.setPen(tone);
        painter.drawText(QRectF(at.x() + 14, at.y() - 10, 70, 20), Qt::AlignVCenter | Qt::AlignLeft,
                         list_[size_t(i)]->about().name);
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
    if (const int i = station_at(drawn_at(event->position())); i >= 0) go(i);
}

void StationLine::mouseMoveEvent(QMouseEvent* event) {
    hovered_ = station_at(drawn_at(event->position()));
    setCursor(hovered_ >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    update();
}

void StationLine::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down)
        go(std::clamp(here_ + (event->key() == Qt::Key_Down ? 1 : -1), 0, int(list_.size()) - 1));
    else
        QWidget::keyPressEvent(event);
}

bool StationLine::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const int i = station_at(drawn_at(help->pos()));
        if (i >= 0)
            QToolTip::showText(help->globalPos(),
                               tr("%1 (F%2)\n%3")
                                   .arg(list_[size_t(i)]->about().name)
                                   .arg(i + 1)
                                   .arg(list_[size_t(i)]->about().promise),
                               this);
        else
            QToolTip::hideText();
        return true;
    }
    return Drawing::event(event);
}

}  // namespace nb
