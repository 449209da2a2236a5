#include "app/stations/intake/intake_sheet.hpp"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/look/look.hpp"
#include "core/body/measures.hpp"
#include "core/intake/load.hpp"

namespace nb {

namespace {
/// The heights of the bodies stand left of the tape, which has the greater part where it is narrow.
double heights_px(int width) {
    return std::min(300.0, 0.44 * width);
}

/// Lines from joint to joint at rest, seen from the front: across, up; m over the floor.
std::vector<std::pair<QPointF, QPointF>> bones_from_the_front(const Character& c) {
    std::vector<std::pair<QPointF, QPointF>> lines;
    const Skeleton& s = c.rig.skeleton;
    const Pose rest = c.rest.p_WJ0.empty() ? rest_pose(s) : Pose{c.rest.R_WJ0, c.rest.p_WJ0};
    const int hips = c.roles.joint("hips");
    // The side shows more of a body on four legs.
    const bool is_side = c.roles.is_four_legged();
    const auto flat = [&](const Vec3& p) { return QPointF(is_side ? -p.z() : p.x(), p.y()); };
    for (int j = 0; j < s.size(); ++j) {
        const int parent = s.parents[size_t(j)];
        if (parent < 0 || (hips >= 0 && !s.is_ancestor(hips, j))) continue;
        lines.emplace_back(flat(rest.p[size_t(parent)]), flat(rest.p[size_t(j)]));
    }
    for (const EndSite& site : s.end_sites)
        if (hips < 0 || s.is_ancestor(hips, site.joint))
            lines.emplace_back(flat(rest.p[size_t(site.joint)]),
                               flat(rest.p[size_t(site.joint)] + rest.R[size_t(site.joint)] * site.offset_m));
    return lines;
}

/// A figure of 175 cm by the published shares of stature (Drillis & Contini, in Winter; from memory).
std::vector<std::pair<QPointF, QPointF>> measured_figure(double stature) {
    const double hip = 0.530 * stature;
    const double shoulder = 0.818 * stature;
    const double ankle = 0.039 * stature;
    const double knee = 0.285 * stature;
    std::vector<std::pair<QPointF, QPointF>> lines{{{0, hip}, {0, shoulder}},
                                                   {{0, shoulder}, {0, 0.87 * stature}}};
    for (const double side : {-1.0, 1.0}) {
        const double h = side * 0.05 * stature;
        const double sh = side * 0.11 * stature;
        lines.emplace_back(QPointF(0, hip), QPointF(h, hip));
        lines.emplace_back(QPointF(h, hip), QPointF(h, knee));
        lines.emplace_back(QPointF(h, knee), QPointF(h, ankle));
        lines.emplace_back(QPointF(h, ankle), QPointF(h + side * 0.03 * stature, 0.0));
        lines.emplace_back(QPointF(0, shoulder), QPointF(sh, shoulder));
        lines.emplace_back(QPointF(sh, shoulder),
                           QPointF(sh + side * 0.03 * stature, shoulder - 0.186 * stature));
        lines.emplace_back(QPointF(sh + side * 0.03 * stature, shoulder - 0.186 * stature),
                           QPointF(sh + side * 0.04 * stature, shoulder - 0.44 * stature));
    }
    return lines;
}

}  // namespace

IntakeSheet::IntakeSheet(Workspace& workspace, Playback& playback, QWidget* parent)
    : Drawing(parent), workspace_(workspace), playback_(playback) {
    setMouseTracking(true);
    setAccessibleName(tr("Heights and tape"));
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, qOverload<>(&QWidget::update));
    connect(&playback_, &Playback::frame_changed, this, qOverload<>(&QWidget::update));
}

IntakeSheet::Tape IntakeSheet::tape() const {
    Tape tape;
    const LoadedPtr source = workspace_.source();
    if (!source || !source->file.take) return tape;
    const LoadOptions& options = source->file.character.rig.options;
    tape.frames = source->file.file_frames;
    tape.used = {options.trim_first, options.trim_last > 0 ? options.trim_last : tape.frames};
    const int frames = std::max(1, source->file.take->frames);
    tape.step = double(tape.used.second - tape.used.first) / frames;
    if (dragged_ >= 0) tape.used = wanted_;
    return tape;
}

QRectF IntakeSheet::tape_place() const {
    const double left = heights_px(drawn_width()) + 84.0;
    return {left, 34.0, std::max(50.0, drawn_width() - left - 28.0), drawn_height() - 62.0};
}

double IntakeSheet::x_of(double file_frame) const {
    const QRectF place = tape_place();
    return place.left() + place.width() * file_frame / std::max(1, tape().frames);
}

int IntakeSheet::file_frame_at(double x) const {
    const QRectF place = tape_place();
    const int frames = tape().frames;
    return std::clamp(int(std::lround((x - place.left()) / place.width() * frames)), 0, frames);
}

QPointF IntakeSheet::handle(int which) const {
    const Tape t = tape();
    return {x_of(which == 0 ? t.used.first : t.used.second), tape_place().center().y()};
}

void IntakeSheet::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    paint_heights(painter, QRectF(12, 8, heights_px(drawn_width()) - 12, drawn_height() - 16));
    paint_tape(painter);
}

void IntakeSheet::paint_heights(QPainter& painter, const QRectF& place) const {
    struct Shown {
        QString name;
        std::vector<std::pair<QPointF, QPointF>> lines;
        double stature = 1.75;
        QColor colour;
    };
    std::vector<Shown> all;
    for (const bool of_target : {false, true}) {
        const LoadedPtr loaded = workspace_.body(of_target);
        if (!loaded) continue;
        const Character& c = loaded->file.character;
        Shown shown{QString::fromStdString(c.name), bones_from_the_front(c), 0.0,
                    of_target ? look().target : look().source};
        for (const auto& [a, b] : shown.lines) shown.stature = std::max({shown.stature, a.y(), b.y()});
        if (std::string why; can_be_transferred(c.roles, why) && !c.roles.is_four_legged())
            shown.stature = body_height(c.rig.skeleton, c.roles);
        all.push_back(std::move(shown));
    }
    all.push_back({tr("175 cm"), measured_figure(1.75), 1.75, look().dim});
    double tallest = 1.75;
    for (const Shown& shown : all) tallest = std::max(tallest, shown.stature);
    const double floor = place.bottom() - 32.0;
    const double scale = (floor - place.top() - 6.0) / (1.05 * tallest);
    painter.setFont(letters());
    // A staff with a tick each half metre (metres for giants).
    const double step = tallest < 4.0 ? 0.5 : std::pow(10.0, std::floor(std::log10(tallest)));
    for (double h = 0.0; h <= tallest * 1.02; h += step) {
        const double y = floor - h * scale;
        painter.setPen(QPen(look().line, 1));
        painter.drawLine(QPointF(place.left() + 34, y), QPointF(place.right(), y));
        painter.setPen(look().dim);
        painter.drawText(QRectF(place.left(), y - 8, 30, 16), Qt::AlignRight | Qt::AlignVCenter,
                         QString::number(std::lround(100 * h)));
    }
    const double wide = (place.width() - 40.0) / double(all.size());
    for (size_t i = 0; i < all.size(); ++i) {
        const Shown& shown = all[i];
        const double middle = place.left() + 40.0 + wide * (double(i) + 0.5);
        // Level arms of tall bodies are wider than their place: they may run into the next one's air.
        painter.save();
        painter.setClipRect(QRectF(middle - 0.5 * wide + 1, place.top(), wide - 2, place.height()));
        painter.setPen(QPen(shown.colour, 2.0, Qt::SolidLine, Qt::RoundCap));
        double left = 1e9, right = -1e9;
        for (const auto& [a, b] : shown.lines) {
            left = std::min({left, a.x(), b.x()});
            right = std::max({right, a.x(), b.x()});
        }
        const double squeeze = std::min(1.0, (wide - 10.0) / std::max(1e-6, (right - left) * scale));
        for (const auto& [a, b] : shown.lines)
            painter.drawLine(QPointF(middle + a.x() * scale * squeeze, floor - a.y() * scale),
                             QPointF(middle + b.x() * scale * squeeze, floor - b.y() * scale));
        if (shown.colour == look().dim)
            painter.drawEllipse(QPointF(middle, floor - 0.935 * 1.75 * scale), 0.05 * scale,
                                0.065 * 1.75 * scale);
        painter.restore();
        painter.setFont(letters(wide < 80 ? 10 : 12));
        painter.setPen(look().text);
        const bool is_measure = i + 1 == all.size();
        painter.drawText(QRectF(middle - 0.5 * wide, floor + 2, wide, 15), Qt::AlignCenter,
                         tr("%1 cm").arg(std::lround(100.0 * shown.stature)));
        painter.setPen(look().dim);
        painter.drawText(QRectF(middle - 0.5 * wide, floor + 16, wide, 15), Qt::AlignCenter,
                         painter.fontMetrics().elidedText(is_measure ? tr("to compare") : shown.name,
                                                          Qt::ElideMiddle, int(wide) - 4));
    }
    painter.setFont(letters());
}

void IntakeSheet::paint_tape(QPainter& painter) const {
    const Tape t = tape();
    const QRectF place = tape_place();
    painter.setPen(look().dim);
    if (t.frames == 0) {
        painter.drawText(place, Qt::AlignCenter, tr("The tape of a take is drawn here once there is one."));
        return;
    }
    // Rows: one for each kind of finding that has places.
    std::vector<const Finding*> rows;
    if (panel_ && !panel_->is_of_target())
        for (const Finding& f : panel_->findings())
            if (!f.frames.empty() && f.kind != "first frame") rows.push_back(&f);
    const double line = place.top() + 18.0;
    const double used_left = x_of(t.used.first);
    const double used_right = x_of(t.used.second);
    painter.fillRect(QRectF(used_left, place.top(), used_right - used_left, place.height()), look().raised);
    painter.setPen(QPen(look().line, 2));
    painter.drawLine(QPointF(place.left(), line), QPointF(place.right(), line));
    painter.setPen(QPen(look().mark, 2));
    painter.drawLine(QPointF(used_left, line), QPointF(used_right, line));
    // Seconds below the line.
    const LoadedPtr source = workspace_.source();
    const double seconds = t.frames / std::max(1e-9, source->file.file_fps);
    double step = 1.0;
    while (seconds / step > place.width() / 60.0)
        step *= step == 1.0 || step == 10.0 ? 2.0 : step == 2.0 || step == 20.0 ? 2.5 : 2.0;
    painter.setPen(look().dim);
    for (double s = 0.0; s <= seconds + 1e-9; s += step) {
        const double x = x_of(s * source->file.file_fps);
        painter.drawLine(QPointF(x, place.bottom()), QPointF(x, place.bottom() + 4));
        painter.drawText(QRectF(x - 30, place.bottom() + 5, 60, 15), Qt::AlignHCenter | Qt::AlignTop,
                         tr("%1 s").arg(s));
    }
    const double tall =
        std::min(22.0, (place.bottom() - line - 12.0) / double(std::max<size_t>(1, rows.size())));
    for (size_t i = 0; i < rows.size(); ++i) {
        const double y = line + 14.0 + tall * double(i);
        painter.setPen(look().text);
        painter.drawText(
            QRectF(heights_px(drawn_width()) + 6, y, 74, tall), Qt::AlignRight | Qt::AlignVCenter,
            painter.fontMetrics().elidedText(QString::fromStdString(rows[i]->kind), Qt::ElideRight, 74));
        painter.setPen(QPen(look().mark, 1.6));
        for (const int frame : rows[i]->frames) {
            const double x = x_of(t.used.first + frame * t.step);
            painter.drawLine(QPointF(x, y + 3), QPointF(x, y + tall - 3));
        }
    }
    if (rows.empty() && tall > 0) {
        painter.setPen(look().dim);
        painter.drawText(QRectF(place.left(), line + 16, place.width(), 20), Qt::AlignCenter,
                         panel_ && panel_->is_of_target()
                             ? tr("drag the handles to trim the take")
                             : tr("no faults seen in it · drag the handles to trim"));
    }
    // The shown frame.
    const double now = x_of(t.used.first + (playback_.frame() + 0.5) * t.step);
    painter.setPen(QPen(look().text, 1));
    painter.drawLine(QPointF(now, place.top()), QPointF(now, place.bottom()));
    painter.setPen(look().text);
    painter.drawText(QRectF(place.left() - 76, place.top() - 22, place.width() + 90, 18),
                     (place.width() < 180 ? Qt::AlignRight : Qt::AlignHCenter) | Qt::AlignVCenter,
                     tr("frames %1 to %2 of %3").arg(t.used.first).arg(t.used.second - 1).arg(t.frames));
    // Handles: brackets that hold what is used.
    for (const bool is_first : {true, false}) {
        const double x = is_first ? used_left : used_right;
        const double in = is_first ? 7.0 : -7.0;
        painter.setPen(QPen(look().mark, 3, Qt::SolidLine, Qt::SquareCap));
        painter.drawPolyline(QPolygonF({QPointF(x + in, place.top()), QPointF(x, place.top()),
                                        QPointF(x, place.bottom()), QPointF(x + in, place.bottom())}));
    }
}

void IntakeSheet::mousePressEvent(QMouseEvent* event) {
    const Tape t = tape();
    if (t.frames == 0 || event->button() != Qt::LeftButton) return;
    const double x = drawn_at(event->position()).x();
    for (const int which : {0, 1})
        if (std::abs(x - handle(which).x()) < 8.0) {
            wanted_ = t.used;
            dragged_ = which;
            return;
        }
    if (x < tape_place().left() - 4) return;
    const int frame = int((file_frame_at(x) - t.used.first) / std::max(1e-9, t.step));
    playback_.go_to(std::clamp(frame, 0, std::max(0, playback_.frames() - 1)));
}

void IntakeSheet::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_ < 0) {
        const bool is_near =
            tape().frames > 0 && (std::abs(drawn_at(event->position()).x() - handle(0).x()) < 8.0 ||
                                  std::abs(drawn_at(event->position()).x() - handle(1).x()) < 8.0);
        setCursor(is_near ? Qt::SizeHorCursor : Qt::ArrowCursor);
        setToolTip(is_near ? tr("Drag to trim; what is cut off stays in the file") : QString());
        return;
    }
    const int frame = file_frame_at(drawn_at(event->position()).x());
    if (dragged_ == 0)
        wanted_.first = std::min(frame, wanted_.second - 1);
    else
        wanted_.second = std::max(frame, wanted_.first + 1);
    update();
}

void IntakeSheet::mouseReleaseEvent(QMouseEvent*) {
    if (dragged_ < 0) return;
    dragged_ = -1;
    const LoadedPtr source = workspace_.source();
    if (!source || !panel_) return;
    LoadOptions options = source->file.character.rig.options;
    options.trim_first = wanted_.first;
    options.trim_last = wanted_.second >= source->file.file_frames ? 0 : wanted_.second;
    if (options == source->file.character.rig.options) return update();
    if (panel_->is_of_target()) panel_->show_body(false);
    panel_->change(options, tr("trim the take"));
}

}  // namespace nb
