#include "app/stations/rest/rest_sheet.hpp"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stations/roles/rails_view.hpp"

namespace nb {

namespace {

constexpr int sheet_head_px = 26;
constexpr int sheet_row_px = 20;
constexpr int role_px = 132;

struct Columns {
    double direction, roll, bar, figures, evidence, right;
    bool is_narrow;   ///< with smaller letters
    bool has_stored;  ///< the figure of the files stands beside that of now; its bar is drawn in any case
};

/// Where it is narrow the bars give way first, then figures: what a roll is taken from stays.
Columns columns(int width) {
    const bool is_narrow = width < 720;
    const bool has_stored = width >= 560;
    const double bar = std::clamp(0.155 * width - (is_narrow ? 36.0 : 0.0), 50.0, 190.0);
    const double figures = !has_stored ? 58.0 : is_narrow ? 112.0 : 134.0;
    const double direction = is_narrow ? role_px - 12 : role_px;
    const double roll = direction + bar + figures;
    return {direction, roll, bar, figures, roll + bar + figures, width - 10.0, is_narrow, has_stored};
}

QString degrees(double deg) {
    // No minus before a zero.
    return QString("%1°").arg(std::round(10.0 * deg) / 10.0 + 0.0, 0, 'f', 1);
}

/// What a roll is taken from, in few words.
QString from(RollSource source) {
    return text_of(roll_source_name(source));
}

}  // namespace

RestSheet::RestSheet(QWidget* parent) : Drawing(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Rests compared"));
}

void RestSheet::set_rows(std::vector<RestRow> rows) {
    rows_ = std::move(rows);
    scroll_to(first_);
}

int RestSheet::shown_rows() const {
    return std::max(1, (drawn_height() - sheet_head_px) / sheet_row_px);
}

void RestSheet::scroll_to(int first) {
    first_ = std::clamp(first, 0, std::max(0, int(rows_.size()) - shown_rows()));
    update();
}

int RestSheet::row_of(const QString& role) const {
    for (size_t i = 0; i < rows_.size(); ++i)
        if (QString::fromStdString(rows_[i].role) == role) return int(i);
    return -1;
}

void RestSheet::show_picked(const QString& role) {
    picked_ = role;
    if (const int row = row_of(role); row >= 0 && (row < first_ || row >= first_ + shown_rows()))
        scroll_to(row - shown_rows() / 2);
    update();
}

QRectF RestSheet::place_of(const QString& role) const {
    const int row = row_of(role) - first_;
    if (row_of(role) < 0 || row < 0 || row >= shown_rows()) return {};
    return {0.0, double(sheet_head_px + row * sheet_row_px), double(drawn_width()), double(sheet_row_px)};
}

/// The next round number above the largest gap; both bars are drawn to it.
double RestSheet::scale_deg() const {
    double largest = 0.0;
    for (const RestRow& row : rows_)
        largest = std::max({largest, row.stored.worst_deg(), row.now.worst_deg()});
    for (const double step : {2.0, 5.0, 10.0, 20.0, 45.0, 90.0})
        if (largest <= step) return step;
    return 180.0;
}

void RestSheet::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    if (rows_.empty()) {
        painter.setPen(look().dim);
        painter.drawText(drawn_rect(), Qt::AlignCenter,
                         tr("Rests are compared role by role once there are a source and a target."));
        return;
    }
    const Columns at = columns(drawn_width());
    const double scale = scale_deg();
    painter.setPen(look().dim);
    const QFont small = letters(11);
    painter.setFont(small);
    const auto heading = [&](double x, double w, const QString& text) {
        painter.drawText(QRectF(x, 4, w, sheet_head_px - 6), Qt::AlignVCenter | Qt::AlignLeft,
                         painter.fontMetrics().elidedText(text, Qt::ElideRight, int(w)));
    };
    heading(24, role_px - 30, tr("role"));
    heading(at.direction, at.bar + at.figures - 10,
            at.is_narrow ? tr("direction, 0–%1°").arg(scale)
                         : tr("direction, 0–%1° · outline: files, bar: now").arg(scale));
    heading(at.roll, at.bar + at.figures - 10,
            at.has_stored ? tr("roll about its own length") : tr("roll, 0–%1°").arg(scale));
    heading(at.evidence, at.right - at.evidence,
            at.has_stored ? tr("roll from: source · target") : tr("roll from"));
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(12, sheet_head_px - 1.5), QPointF(drawn_width() - 10, sheet_head_px - 1.5));
    painter.setFont(letters());
    for (int i = 0; i < shown_rows() && first_ + i < int(rows_.size()); ++i) {
        const RestRow& row = rows_[size_t(first_) + size_t(i)];
        const double top = sheet_head_px + i * sheet_row_px;
        const double middle = top + 0.5 * sheet_row_px;
        if (QString::fromStdString(row.role) == picked_) {
            painter.setPen(QPen(look().mark, 1));
            painter.setBrush(Qt::NoBrush);
            painter.drawRoundedRect(QRectF(8.5, top + 0.5, drawn_width() - 18, sheet_row_px - 1), 3, 3);
        }
        if (row.now.worst_deg() >= 1.0 && !row.is_carried) {
            painter.setPen(QPen(look().mark, 1.6));
            painter.drawPolyline(
                QPolygonF({QPointF(13, middle - 3), QPointF(16.5, middle + 3), QPointF(20, middle - 3)}));
        }
        painter.setPen(look().text);
        painter.drawText(QRectF(26, top, role_px - 30, sheet_row_px), Qt::AlignVCenter,
                         side_and_role(row.role));
        const auto bars = [&](double x, double stored, double now, bool is_known) {
            const auto length = [&](double deg) { return at.bar * std::min(1.0, std::abs(deg) / scale); };
            painter.setPen(QPen(look().line, 1));
            painter.drawLine(QPointF(x, middle + 5), QPointF(x + at.bar, middle + 5));
            painter.setBrush(Qt::NoBrush);
            painter.setPen(QPen(look().dim, 1));
            if (std::abs(stored) >= 0.05) painter.drawRect(QRectF(x + 0.5, middle - 4.5, length(stored), 9));
            if (is_known && std::abs(now) >= 0.005)
                painter.fillRect(QRectF(x, middle - 2.5, std::max(1.5, length(now)), 6), look().mark);
            const QRectF figures(x + at.bar + 8, top, at.figures - 10, sheet_row_px);
            painter.setFont(letters(at.is_narrow ? 11 : 12));
            painter.setPen(look().dim);
            const QString before = at.has_stored ? degrees(stored) + "  → " : QString();
            painter.drawText(figures, Qt::AlignVCenter, before);
            painter.setPen(look().text);
            painter.drawText(figures.adjusted(painter.fontMetrics().horizontalAdvance(before), 0, 0, 0),
                             Qt::AlignVCenter, is_known ? degrees(now) : tr("unknown"));
        };
        bars(at.direction, row.stored.direction_deg, row.now.direction_deg, true);
        // Without evidence the difference of rolls is one of guesses: said, not drawn.
        const bool is_said = row.is_roll_known || std::abs(row.now.roll_deg) > 0.05;
        bars(at.roll, row.stored.roll_deg, row.now.roll_deg, is_said);
        painter.setFont(letters());
        painter.setPen(look().dim);
        const QString why = row.is_carried && row.now.worst_deg() >= 0.05
                                ? tr("carried on from the bone above")
                                : from(row.source_roll) + " · " + from(row.target_roll);
        painter.drawText(QRectF(at.evidence, top, at.right - at.evidence, sheet_row_px), Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(why, Qt::ElideRight, int(at.right - at.evidence)));
    }
    // How far down the list one is.
    if (int(rows_.size()) > shown_rows()) {
        const double whole = drawn_height() - sheet_head_px - 4;
        const double part = whole * shown_rows() / double(rows_.size());
        painter.fillRect(
            QRectF(drawn_width() - 5, sheet_head_px + whole * first_ / double(rows_.size()), 3, part),
            look().line);
    }
}

void RestSheet::mousePressEvent(QMouseEvent* event) {
    const double y = drawn_at(event->position()).y();
    const int row = first_ + int((y - sheet_head_px) / sheet_row_px);
    if (y < sheet_head_px || row < 0 || row >= int(rows_.size())) return;
    picked_ = QString::fromStdString(rows_[size_t(row)].role);
    update();
    emit role_picked(picked_);
}

void RestSheet::wheelEvent(QWheelEvent* event) {
    scroll_to(first_ - (event->angleDelta().y() > 0 ? 2 : -2));
    event->accept();
}

bool RestSheet::event(QEvent* event) {
    // On the sheet the arrows walk from row to row, not from frame to frame.
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        if ((pressed->key() == Qt::Key_Up || pressed->key() == Qt::Key_Down) &&
            pressed->modifiers() == Qt::NoModifier) {
            event->accept();
            return true;
        }
    }
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const double y = drawn_at(help->pos()).y();
        const int row = first_ + int((y - sheet_head_px) / sheet_row_px);
        if (y >= sheet_head_px && row < int(rows_.size())) {
            const RestRow& r = rows_[size_t(row)];
            QToolTip::showText(help->globalPos(),
                               tr("%1: %2 of direction, %3 of roll now; %4 and %5 in the files.\n"
                                  "Roll of the source: %6; of the target: %7. %8 % sure.\n"
                                  "What is off here is off in every frame.")
                                   .arg(side_and_role(r.role), degrees(r.now.direction_deg),
                                        degrees(r.now.roll_deg), degrees(r.stored.direction_deg),
                                        degrees(r.stored.roll_deg), from(r.source_roll), from(r.target_roll))
                                   .arg(int(std::lround(100 * r.sure))),
                               this);
            return true;
        }
    }
    return Drawing::event(event);
}

void RestSheet::keyPressEvent(QKeyEvent* event) {
    if (event->key() != Qt::Key_Up && event->key() != Qt::Key_Down) return QWidget::keyPressEvent(event);
    if (rows_.empty()) return;
    const int row =
        std::clamp(row_of(picked_) + (event->key() == Qt::Key_Down ? 1 : -1), 0, int(rows_.size()) - 1);
    show_picked(QString::fromStdString(rows_[size_t(row)].role));
    emit role_picked(picked_);
}

}  // namespace nb
