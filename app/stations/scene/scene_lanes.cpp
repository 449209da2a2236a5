#include "app/stations/scene/scene_lanes.hpp"

#include <QFileInfo>
#include <QMouseEvent>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "app/look/labels.hpp"
#include "app/stations/transfer/contact_lanes.hpp"
#include "core/review/touching.hpp"

namespace nb {

namespace {

constexpr double words_px = 150.0;
constexpr double figures_px = 66.0;
constexpr double cast_row_px = 30.0;
constexpr double touch_row_px = 32.0;
constexpr double end_grip_px = 6.0;
constexpr double full_lane_mm = 60.0;  // a whole lane of gap or depth

}  // namespace

QString take_words(const std::string& take) {
    QString words = QFileInfo(text_of(take)).fileName();
    for (const char* ending : {".take.json", ".bvh", ".glb", ".fbx"})
        if (words.endsWith(ending)) words.chop(qsizetype(std::string_view(ending).size()));
    return words;
}

SceneLanes::SceneLanes(Workspace& workspace, Playback& playback, SceneEdits& edits, QWidget* parent)
    : Drawing(parent), workspace_(workspace), playback_(playback), edits_(edits) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("The scene's clock"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    const auto redraw = [this] { update(); };
    connect(&workspace_, &Workspace::scene_changed, this, redraw);
    connect(&workspace_.scene(), &SceneWork::result_changed, this, redraw);
    connect(&workspace_.scene(), &SceneWork::review_changed, this, redraw);
    connect(&playback_, &Playback::frame_changed, this, redraw);
}

void SceneLanes::pick_touch(int touch) {
    if (touch == touch_) return;
    touch_ = touch;
    update();
    emit touch_picked(touch);
}

std::vector<SceneLanes::Row> SceneLanes::rows() const {
    std::vector<Row> rows;
    double top = 4.0 - scrolled_;
    const SceneWork& work = workspace_.scene();
    const auto add = [&](Row::Kind kind, size_t count, double height) {
        for (size_t i = 0; i < count; ++i) {
            rows.push_back({kind, i, top, height});
            top += height;
        }
    };
    add(Row::Kind::cast, work.casts().size(), cast_row_px);
    add(Row::Kind::touch, work.touches().size(), touch_row_px);
    add(Row::Kind::pair, work.review() ? work.review()->pairs.size() : 0, touch_row_px);
    return rows;
}

std::optional<SceneLanes::Row> SceneLanes::row_at(double y) const {
    for (const Row& row : rows())
        if (y >= row.top && y < row.top + row.height) return row;
    return {};
}

double SceneLanes::x_of(double scene_s) const {
    const double wide = std::max(1.0, drawn_width() - words_px - figures_px);
    return words_px + wide * (scene_s - first_s()) / std::max(1e-6, last_s() - first_s());
}

double SceneLanes::time_at(double x) const {
    const double wide = std::max(1.0, drawn_width() - words_px - figures_px);
    return first_s() + (x - words_px) / wide * (last_s() - first_s());
}

std::pair<double, double> SceneLanes::span_of(const BodyTouch& touch) const {
    const std::vector<Cast>& casts = workspace_.scene().scene().casts;
    if (touch.cast >= casts.size()) return {0.0, 0.0};
    return {casts[touch.cast].scene_time_s(touch.first), casts[touch.cast].scene_time_s(touch.last)};
}

std::optional<bool> SceneLanes::end_at(const BodyTouch& touch, double x) const {
    const auto [first, last] = span_of(touch);
    const double from = std::abs(x - x_of(first)), to = std::abs(x - x_of(last));
    if (std::min(from, to) > end_grip_px) return {};
    return to < from;
}

QPoint SceneLanes::place_of_cast(size_t cast, double scene_s) const {
    for (const Row& row : rows())
        if (row.kind == Row::Kind::cast && row.index == cast)
            return seen({x_of(scene_s), row.top + 0.5 * row.height}).toPoint();
    return {};
}

QPoint SceneLanes::place_of_touch(size_t touch, bool is_end) const {
    for (const Row& row : rows())
        if (row.kind == Row::Kind::touch && row.index == touch) {
            const auto [first, last] = span_of(workspace_.scene().touches()[touch]);
            return seen({x_of(is_end ? last : first), row.top + 0.5 * row.height}).toPoint();
        }
    return {};
}

QString SceneLanes::figure_of(size_t touch) const {
    const SceneWork& work = workspace_.scene();
    if (touch >= work.touches().size()) return {};
    const auto gap = work.gap_mm(work.touches()[touch], work.scene_s(playback_.frame()));
    return gap ? tr("%1 mm").arg(*gap, 0, 'f', 0) : tr("far");
}

void SceneLanes::paint_words(QPainter& painter, const Row& row, const QString& first, const QString& second,
                             bool is_in_hand) const {
    const QRectF words(10, row.top + 1, words_px - 18, 15);
    painter.setPen(is_in_hand ? look().mark : look().text);
    painter.setFont(letters(12));
    painter.drawText(words, Qt::AlignLeft | Qt::AlignVCenter,
                     QFontMetricsF(painter.font()).elidedText(first, Qt::ElideRight, words.width()));
    painter.setPen(look().dim);
    painter.setFont(letters(10));
    painter.drawText(words.translated(0, 13), Qt::AlignLeft | Qt::AlignVCenter,
                     QFontMetricsF(painter.font()).elidedText(second, Qt::ElideRight, words.width()));
}

void SceneLanes::paint_cast(QPainter& painter, const Row& row) const {
    const SceneWork& work = workspace_.scene();
    const Cast& cast = work.scene().casts[row.index];
    const bool is_in_hand = row.index == work.in_hand();
    if (is_in_hand) painter.fillRect(QRectF(0, row.top, drawn_width(), row.height - 1), look().raised);
    paint_words(painter, row, text_of(cast.name),
                tr("onto %1").arg(text_of(work.document().casts[row.index].target)), is_in_hand);
    const QRectF bar(x_of(cast.start_s), row.top + 8, std::max(2.0, x_of(cast.end_s()) - x_of(cast.start_s)),
                     row.height - 17);
    QColor fill = is_in_hand ? look().mark : look().dim;
    fill.setAlphaF(is_in_hand ? 0.45F : 0.3F);
    painter.fillRect(bar, fill);
    painter.setPen(QPen(is_in_hand ? look().mark : look().dim, 1.2));
    painter.drawRect(bar);
    painter.setFont(letters(10));
    painter.setPen(look().text);
    const QString take = take_words(work.document().casts[row.index].take);
    painter.drawText(bar.adjusted(6, 0, -4, 0), Qt::AlignLeft | Qt::AlignVCenter,
                     QFontMetricsF(painter.font()).elidedText(take, Qt::ElideRight, bar.width() - 10));
    painter.setPen(look().dim);
    painter.drawText(QRectF(drawn_width() - figures_px, row.top, figures_px - 8, row.height - 2),
                     Qt::AlignRight | Qt::AlignVCenter, tr("%1 s").arg(cast.start_s, 0, 'f', 2));
}

void SceneLanes::paint_touch(QPainter& painter, const Row& row) const {
    const SceneWork& work = workspace_.scene();
    const BodyTouch& touch = work.touches()[row.index];
    const auto& casts = work.document().casts;
    if (touch.cast >= casts.size() || touch.other >= casts.size()) return;
    const bool is_in_hand = int(row.index) == touch_;
    if (is_in_hand) painter.fillRect(QRectF(0, row.top, drawn_width(), row.height - 1), look().raised);
    paint_words(painter, row, tr("%1 of %2").arg(point_words(touch.point), text_of(casts[touch.cast].name)),
                tr("on %1 of %2%3")
                    .arg(support_words(touch.on), text_of(casts[touch.other].name),
                         touch.is_unsure ? tr(" · unsure") : QString()),
                is_in_hand);
    const auto [first, last] = span_of(touch);
    const double base = row.top + row.height - 5;
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(words_px, base), QPointF(drawn_width() - figures_px, base));
    const double from = x_of(first), to = std::max(x_of(last), x_of(first) + 2.0);
    QColor fill = look().mark;
    fill.setAlphaF(touch.is_unsure ? 0.08F : 0.22F);
    const QRectF window(from, row.top + 5, to - from, row.height - 10);
    painter.fillRect(window, fill);
    painter.setPen(
        QPen(is_in_hand ? look().mark : look().dim, 1.0, touch.is_unsure ? Qt::DashLine : Qt::SolidLine));
    painter.drawRect(window);
    // How far it is off there, a bar a look.
    if (const auto review = work.review())
        for (const TouchKept& kept : review->touches) {
            if (kept.touch != row.index) continue;
            for (size_t i = 0; i < kept.gap_mm.size(); ++i) {
                const double off = std::abs(kept.gap_mm[i]);
                const double share = std::min(1.0, off / full_lane_mm);
                const double x = x_of(review->look_s(kept.first_look + int(i)));
                const double wide =
                    std::max(1.0, x_of(review->first_s + review->step_s) - x_of(review->first_s));
                painter.fillRect(QRectF(x, base - share * (row.height - 10), wide, share * (row.height - 10)),
                                 look().measure(share));
            }
        }
    const bool is_now = work.is_at(touch, work.scene_s(playback_.frame()));
    painter.setFont(letters(12));
    painter.setPen(is_now ? look().text : look().dim);
    painter.drawText(QRectF(drawn_width() - figures_px, row.top, figures_px - 8, row.height),
                     Qt::AlignRight | Qt::AlignVCenter, figure_of(row.index));
}

void SceneLanes::paint_pair(QPainter& painter, const Row& row) const {
    const SceneWork& work = workspace_.scene();
    const SceneReview& review = *work.review();
    const PairDepth& pair = review.pairs[row.index];
    const auto& casts = work.document().casts;
    if (pair.a >= casts.size() || pair.b >= casts.size()) return;
    paint_words(painter, row, tr("in each other"),
                tr("%1 and %2").arg(text_of(casts[pair.a].name), text_of(casts[pair.b].name)), false);
    const double base = row.top + row.height - 5;
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(words_px, base), QPointF(drawn_width() - figures_px, base));
    const double wide = std::max(1.0, x_of(review.first_s + review.step_s) - x_of(review.first_s));
    for (size_t i = 0; i < pair.depth_mm.size(); ++i) {
        const double share = std::min(1.0, pair.depth_mm[i] / full_lane_mm);
        if (share <= 0.0) continue;
        painter.fillRect(QRectF(x_of(review.look_s(int(i))), base - share * (row.height - 10), wide,
                                share * (row.height - 10)),
                         look().measure(share));
    }
    const double now_s = work.scene_s(playback_.frame());
    const int look_now = int(std::lround((now_s - review.first_s) / review.step_s));
    painter.setFont(letters(12));
    painter.setPen(look().text);
    if (look_now >= 0 && look_now < int(pair.depth_mm.size()))
        painter.drawText(QRectF(drawn_width() - figures_px, row.top, figures_px - 8, row.height),
                         Qt::AlignRight | Qt::AlignVCenter,
                         tr("%1 mm").arg(pair.depth_mm[size_t(look_now)], 0, 'f', 0));
}

bool SceneLanes::is_of(const SceneEvent& event, const Row& row) {
    return event.of == row.index && row.kind == (event.is_touch ? Row::Kind::touch : Row::Kind::pair);
}

void SceneLanes::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    const SceneWork& work = workspace_.scene();
    if (!work.is_open() || work.scene().casts.size() != work.casts().size()) {
        painter.setPen(look().dim);
        painter.setFont(letters(12));
        painter.drawText(drawn_rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap,
                         work.is_open()
                             ? tr("The scene is being read.")
                             : tr("No scene is open. Choose one beside the stage or in the library (D); "
                                  "its casts then lie here over one clock."));
        return;
    }
    for (const Row& row : rows()) {
        if (row.top > drawn_height() || row.top + row.height < 0) continue;
        if (row.kind == Row::Kind::cast) paint_cast(painter, row);
        if (row.kind == Row::Kind::touch) paint_touch(painter, row);
        if (row.kind == Row::Kind::pair) paint_pair(painter, row);
    }
    if (double tall = 0.0; work.review()) {
        for (const Row& row : rows()) tall = std::max(tall, row.top + row.height);
        painter.setFont(letters(10));
        painter.setPen(look().dim);
        const QRectF legend(words_px, std::max(tall + 2, drawn_height() - 18.0), drawn_width() - words_px - 8,
                            15);
        if (tall > drawn_height() + 2.0) {
            painter.setPen(look().text);
            painter.drawText(QRectF(words_px, drawn_height() - 15, drawn_width() - words_px - 8, 14),
                             Qt::AlignRight | Qt::AlignVCenter, tr("more below: the wheel"));
        }
        if (legend.bottom() <= drawn_height())
            painter.drawText(
                legend, Qt::AlignLeft | Qt::AlignVCenter,
                tr("bars: how far a hand is off, how deep bodies are in each other; a whole lane "
                   "is %1 mm. At the right: the shown frame.")
                    .arg(full_lane_mm));
    }
    // Where it falls short: a notch at the worst place of each event.
    painter.setPen(Qt::NoPen);
    painter.setBrush(look().mark);
    for (const Row& row : rows())
        for (const SceneEvent& event : work.events()) {
            if (!is_of(event, row)) continue;
            const double x = x_of(event.worst_s);
            const double y = row.top + row.height - 5;
            painter.drawPolygon(QPolygonF({{x - 4, y + 5}, {x + 4, y + 5}, {x, y - 1}}));
        }
    painter.setBrush(Qt::NoBrush);
    const double now = x_of(work.scene_s(playback_.frame()));
    painter.setPen(QPen(look().mark, 1.4));
    painter.drawLine(QPointF(now, 0), QPointF(now, drawn_height()));
}

void SceneLanes::explain(const Row& row, double scene_s) {
    const SceneWork& work = workspace_.scene();
    const SceneEvent* nearest = nullptr;
    for (const SceneEvent& event : work.events()) {
        if (!is_of(event, row) || scene_s < event.first_s - 0.2 || scene_s > event.last_s + 0.2) continue;
        if (!nearest || std::abs(event.worst_s - scene_s) < std::abs(nearest->worst_s - scene_s))
            nearest = &event;
    }
    if (nearest)
        emit explained(tr("%1 at %2 s; owner: %3.")
                           .arg(text_of(nearest->text))
                           .arg(nearest->worst_s, 0, 'f', 2)
                           .arg(text_of(owner_name(nearest->owner))));
}

void SceneLanes::mousePressEvent(QMouseEvent* event) {
    const SceneWork& work = workspace_.scene();
    if (event->button() != Qt::LeftButton || !work.is_open()) return;
    const QPointF at = drawn_at(event->position());
    const auto row = row_at(at.y());
    const double scene_s = time_at(at.x());
    if (at.x() >= words_px && row && row->kind == Row::Kind::touch) {
        const BodyTouch& touch = work.touches()[row->index];
        if (const auto end = end_at(touch, at.x())) {
            pick_touch(int(row->index));
            drag_ = Drag{touch.cast,     int(row->index), *end, scene_s,
                         work.first_s(), work.last_s(),   0.0,  edits_.new_topic()};
            return;
        }
    }
    if (row && row->kind == Row::Kind::touch) pick_touch(int(row->index));
    if (row && row->kind == Row::Kind::cast) {
        const size_t cast = row->index;
        const Cast& of = work.scene().casts[cast];
        workspace_.take_in_hand(cast, playback_.frame());
        if (at.x() >= x_of(of.start_s) && at.x() <= x_of(of.end_s())) {
            drag_ =
                Drag{cast, -1, false, scene_s, work.first_s(), work.last_s(), of.start_s, edits_.new_topic()};
            return;
        }
    }
    if (at.x() < words_px) return;
    playback_.go_to(std::clamp(work.frame_in_hand(scene_s), 0, std::max(0, playback_.frames() - 1)));
    if (row && row->kind != Row::Kind::cast) explain(*row, scene_s);
}

void SceneLanes::mouseMoveEvent(QMouseEvent* event) {
    const SceneWork& work = workspace_.scene();
    const QPointF at = drawn_at(event->position());
    if (!drag_) {
        const auto row = row_at(at.y());
        Qt::CursorShape shape = Qt::ArrowCursor;
        if (work.is_open() && row && at.x() >= words_px) {
            if (row->kind == Row::Kind::cast) shape = Qt::SizeAllCursor;
            if (row->kind == Row::Kind::touch && end_at(work.touches()[row->index], at.x()))
                shape = Qt::SizeHorCursor;
        }
        setCursor(shape);
        return;
    }
    const double by_s = time_at(at.x()) - drag_->taken_s;
    const double frame_time_s = work.scene().casts[drag_->cast].take->frame_time_s;
    if (drag_->touch < 0) {
        const double start = std::round((drag_->start_before_s + by_s) / frame_time_s) * frame_time_s;
        if (std::abs(start - workspace_.scene_document().casts[drag_->cast].start_s) < 1e-9) return;
        edits_.set_start(drag_->cast, start, drag_->topic);
        emit explained(
            tr("begins at %1 s, %2 frames").arg(start, 0, 'f', 3).arg(std::lround(start / frame_time_s)));
        return;
    }
    const Cast& cast = work.scene().casts[drag_->cast];
    const int frame =
        std::clamp(int(std::lround((time_at(at.x()) - cast.start_s) / frame_time_s)), 0, cast.take->frames);
    edits_.change_touch(size_t(drag_->touch), tr("when bodies touch"), drag_->topic, [&](BodyTouch& touch) {
        if (drag_->is_end)
            touch.last = std::max(touch.first + 1, frame);
        else
            touch.first = std::min(frame, touch.last - 1);
    });
}

void SceneLanes::mouseReleaseEvent(QMouseEvent*) {
    drag_.reset();
    update();
}

void SceneLanes::wheelEvent(QWheelEvent* event) {
    double tall = 8.0;
    for (const Row& row : rows()) tall += row.height;
    scrolled_ =
        std::clamp(scrolled_ - 0.25 * event->angleDelta().y(), 0.0, std::max(0.0, tall - drawn_height()));
    update();
}

void SceneLanes::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Delete && touch_ >= 0 && touch_ < int(workspace_.scene().touches().size())) {
        const int gone = touch_;
        pick_touch(-1);
        edits_.remove_touch(size_t(gone));
        return;
    }
    Drawing::keyPressEvent(event);
}

}  // namespace nb
