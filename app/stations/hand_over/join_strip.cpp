#include "app/stations/hand_over/join_strip.hpp"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainterPath>
#include <algorithm>
#include <array>
#include <cmath>

#include "app/stations/roles/rails_view.hpp"
#include "core/math/hermite.hpp"

namespace nb {

namespace {

constexpr double side_px = 14.0;
constexpr double top_px = 20.0, rise_px = 26.0, base_px = top_px + rise_px;
constexpr double seam_grip_px = 5.0;
constexpr double lines_px = 2 * 15.0;
/// Words at a seam are this wide at most.
constexpr double seam_words_px = 190.0;

}  // namespace

QString meeting_word(const std::string& role) {
    return side_and_role(role);
}

JoinStrip::JoinStrip(JoinDesk& desk, QWidget* parent) : Drawing(parent), desk_(desk) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("clips in a row"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    connect(&desk_, &JoinDesk::changed, this, [this] {
        const int items = std::max(0, 2 * int(desk_.plan().clips.size()) - 1);
        if (selected_ >= items) select(items - 1);
        update();
    });
    connect(&desk_, &JoinDesk::ready, this, [this] { update(); });
}

void JoinStrip::select(int item) {
    const int items = std::max(0, 2 * int(desk_.plan().clips.size()) - 1);
    item = std::clamp(item, -1, items - 1);
    if (item == selected_) return;
    selected_ = item;
    update();
    emit selected_changed();
}

const Joined* JoinStrip::shown() const {
    const Joined* joined = desk_.joined();
    return joined && joined->seams.size() + 1 == desk_.plan().clips.size() ? joined : nullptr;
}

double JoinStrip::frames_a_unit() const {
    const Joined* joined = shown();
    return joined ? std::max(1, joined->motion.motion.frames) / std::max(1.0, drawn_width() - 2 * side_px)
                  : 1.0;
}

double JoinStrip::x_of(double frame) const {
    return side_px + frame / frames_a_unit();
}

QPoint JoinStrip::place_of(Grip grip, int seam) const {
    const Joined* joined = shown();
    if (!joined) return {};
    const double y = base_px - 0.5 * rise_px;
    double frame = 0.0;
    if (grip == Grip::last) frame = joined->motion.motion.frames;
    if (grip == Grip::overlap) {
        const SeamReport& report = joined->seams[size_t(seam)];
        frame = report.first + report.overlap;
    }
    return seen({x_of(frame), y}).toPoint();
}

QPoint JoinStrip::middle_of(int item) const {
    const Joined* joined = shown();
    if (!joined) return {};
    if (item % 2 == 1) return seen({x_of(joined->seams[size_t(item / 2)].frame), base_px + 8}).toPoint();
    const auto [first, last] = desk_.spans()[size_t(item / 2)];
    return seen({x_of(0.5 * (first + last)), base_px - 0.5 * rise_px}).toPoint();
}

std::pair<JoinStrip::Grip, int> JoinStrip::grip_at(const QPointF& at) const {
    const Joined* joined = shown();
    if (!joined || at.y() < top_px - 4 || at.y() > base_px + 4) return {Grip::none, 0};
    for (int i = 0; i < int(joined->seams.size()); ++i)
        if (std::abs(drawn_at(place_of(Grip::overlap, i)).x() - at.x()) <= seam_grip_px)
            return {Grip::overlap, i};
    for (const Grip grip : {Grip::first, Grip::last})
        if (std::abs(drawn_at(place_of(grip)).x() - at.x()) <= seam_grip_px) return {grip, 0};
    return {Grip::none, 0};
}

int JoinStrip::item_at(const QPointF& at) const {
    const Joined* joined = shown();
    if (!joined) return -1;
    const double frame = (at.x() - side_px) * frames_a_unit();
    for (int i = 0; i < int(joined->seams.size()); ++i) {
        const SeamReport& seam = joined->seams[size_t(i)];
        const double wide = at.y() > base_px
                                ? std::max(0.5 * seam.overlap, 0.4 * seam_words_px * frames_a_unit())
                                : 0.5 * seam.overlap;
        if (std::abs(frame - seam.frame) <= wide) return 2 * i + 1;
    }
    if (at.y() > base_px) return -1;
    for (int i = 0; i < int(desk_.spans().size()); ++i)
        if (frame >= desk_.spans()[size_t(i)].first && frame <= desk_.spans()[size_t(i)].second) return 2 * i;
    return -1;
}

void JoinStrip::paint_clip(QPainter& painter, int clip) const {
    const Joined& joined = *shown();
    const auto [first, last] = desk_.spans()[size_t(clip)];
    const bool is_first = clip == 0, is_last = clip == int(joined.seams.size());
    const auto share = [&](double frame) {
        double weight = 1.0;
        if (!is_first) {
            const SeamReport& seam = joined.seams[size_t(clip) - 1];
            weight *= smooth_step(std::clamp((frame - seam.first) / std::max(1, seam.overlap), 0.0, 1.0));
        }
        if (!is_last) {
            const SeamReport& seam = joined.seams[size_t(clip)];
            weight *=
                1.0 - smooth_step(std::clamp((frame - seam.first) / std::max(1, seam.overlap), 0.0, 1.0));
        }
        return weight;
    };
    const double from = x_of(first), to = x_of(last);
    QPainterPath shape(QPointF(from, base_px));
    for (double x = from; x < to; x += 1.0)
        shape.lineTo(x, base_px - rise_px * share((x - side_px) * frames_a_unit()));
    shape.lineTo(to, base_px - rise_px * share(last));
    shape.lineTo(to, base_px);
    const bool is_chosen = selected_ == 2 * clip;
    QColor fill = is_chosen ? look().mark : clip % 2 == 0 ? look().text : look().dim;
    fill.setAlphaF(is_chosen ? 0.35F : 0.18F);
    painter.fillPath(shape, fill);
    painter.setPen(QPen(is_chosen ? look().mark : look().dim, 1.2));
    painter.drawPath(shape);
    // Held poses stand apart.
    const double dt = joined.motion.motion.frame_time_s;
    painter.setPen(QPen(look().dim, 1, Qt::DotLine));
    for (const double held : {is_first ? desk_.plan().pad_first_s / dt : 0.0,
                              is_last ? joined.motion.motion.frames - desk_.plan().pad_last_s / dt : 0.0})
        if (held > 0.5 && held < joined.motion.motion.frames - 0.5)
            painter.drawLine(QPointF(x_of(held), top_px), QPointF(x_of(held), base_px));
    const JoinPlan::Clip& of = desk_.plan().clips[size_t(clip)];
    QString words = QString::fromStdString(of.take);
    if (of.first != 0 || of.last != 0)
        words += of.last == 0 ? tr(" from %1").arg(of.first) : tr(" %1 to %2").arg(of.first).arg(of.last);
    if (of.pace != 100.0) words += tr(" at %1 %").arg(of.pace, 0, 'g', 4);
    painter.setFont(letters(11));
    painter.setPen(look().text);
    const QRectF room(from + 4, top_px - 17, to - from - 8, 15);
    painter.drawText(room, Qt::AlignLeft | Qt::AlignVCenter,
                     QFontMetricsF(painter.font()).elidedText(words, Qt::ElideRight, room.width()));
}

void JoinStrip::paint_pose(QPainter& painter, const std::vector<Vec3>& pose, const Vec3& ahead,
                           const Vec3& centre, const QPointF& foot, double unit_px) const {
    const Skeleton& skeleton = shown()->motion.character.rig.skeleton;
    for (size_t j = 0; j < pose.size(); ++j) {
        const int parent = skeleton.parents[j];
        // Bones of the body: what stands on the floor beside it is a root.
        if (parent < 0 || skeleton.parents[size_t(parent)] < 0) continue;
        const auto at = [&](const Vec3& p) {
            return QPointF(foot.x() + unit_px * (p - centre).dot(ahead),
                           foot.y() - unit_px * (p - centre).y());
        };
        painter.drawLine(at(pose[size_t(parent)]), at(pose[j]));
    }
}

void JoinStrip::paint_seam(QPainter& painter, int index) const {
    const Joined& joined = *shown();
    const SeamReport& seam = joined.seams[size_t(index)];
    const Seam& asked = desk_.plan().seams[size_t(index)];
    const bool is_chosen = selected_ == 2 * index + 1;
    const double x = x_of(seam.frame), grip = x_of(seam.first + seam.overlap);
    painter.setPen(QPen(is_chosen ? look().mark : look().text, is_chosen ? 1.6 : 1.0));
    painter.drawLine(QPointF(x, top_px - 2), QPointF(x, base_px + 4));
    painter.fillRect(QRectF(grip - 2, base_px - 0.5 * rise_px - 6, 4, 12),
                     is_chosen ? look().mark : look().dim);

    const double wide = std::min(seam_words_px, drawn_width() - 2.0);
    const QRectF words(std::clamp(x - 0.5 * wide, 0.0, drawn_width() - wide), base_px + 5, wide, 15);
    painter.setFont(letters(11));
    painter.setPen(is_chosen ? look().mark : look().text);
    painter.drawText(words, Qt::AlignCenter,
                     tr("%1 meets: %2 cm, %3°")
                         .arg(meeting_word(asked.point))
                         .arg(100.0 * seam.place_error_m, 0, 'f', 1)
                         .arg(rad_to_deg(seam.heading_error_rad), 0, 'f', 1));
    painter.setPen(look().dim);
    painter.drawText(words.translated(0, 15), Qt::AlignCenter,
                     tr("poses %1 cm apart · jerk × %2")
                         .arg(100.0 * seam.distance_m, 0, 'f', 0)
                         .arg(seam.own_jerk > 0.0 ? seam.jerk / seam.own_jerk : 0.0, 0, 'f', 1));

    paint_poses(painter, index, x, is_chosen);
}

/// Both clips over the overlap, from the side: how far the one has to go to be the other.
void JoinStrip::paint_poses(QPainter& painter, int index, double x, bool is_chosen) const {
    const Joined& joined = *shown();
    const SeamReport& seam = joined.seams[size_t(index)];
    const double from = base_px + 5 + lines_px, room = drawn_height() - from - 18;
    const RoleMap& roles = joined.motion.character.roles;
    const int left = roles.joint("thigh.left"), right = roles.joint("thigh.right");
    if (room < 30.0 || left < 0 || right < 0) return;
    const auto& middle = seam.poses[1].earlier;
    Vec3 ahead = (middle[size_t(left)] - middle[size_t(right)]).cross(Vec3::UnitY());
    if (ahead.norm() < 1e-9) return;
    ahead.normalize();
    double low = 1e9, high = -1e9;
    for (const Vec3& p : middle) {
        low = std::min(low, p.y());
        high = std::max(high, p.y());
    }
    const double unit = room / std::max(0.3, high - low);
    const double apart = 0.9 * room;
    const double first = std::clamp(x - apart, 0.6 * room, std::max(0.6 * room, drawn_width() - 2.6 * room));
    const double words = from + room;
    const std::array at{tr("begin"), tr("middle"), tr("end")};
    for (size_t n = 0; n < seam.poses.size(); ++n) {
        const auto& [earlier, later] = seam.poses[n];
        Vec3 centre = 0.5 * (earlier[size_t(left)] + earlier[size_t(right)]);
        centre.y() = low;
        const QPointF foot(first + double(n) * apart, words);
        painter.setPen(QPen(look().dim, 1.4, Qt::SolidLine, Qt::RoundCap));
        paint_pose(painter, later, ahead, centre, foot, unit);
        painter.setPen(QPen(look().text, 1.6, Qt::SolidLine, Qt::RoundCap));
        paint_pose(painter, earlier, ahead, centre, foot, unit);
        painter.setFont(letters(10));
        painter.setPen(look().dim);
        painter.drawText(QRectF(foot.x() - 40, words + 2, 80, 13), Qt::AlignCenter, at[n]);
    }
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(first - 0.5 * apart, words), QPointF(first + 2.5 * apart, words));
    if (!is_chosen) return;
    const QRectF line(first + 2.5 * apart + 6, words - 30, 150, 14);
    painter.setPen(look().text);
    painter.drawText(line, Qt::AlignLeft, tr("bright: the earlier clip"));
    painter.setPen(look().dim);
    painter.drawText(line.translated(0, 14), Qt::AlignLeft, tr("dim: the later clip"));
}

void JoinStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    const Joined* joined = shown();
    if (!joined) {
        painter.setPen(look().dim);
        const QString words = desk_.plan().clips.empty()
                                  ? tr("Clips of one body in a row become one take: show a take on its body, "
                                       "put it in the row, then "
                                       "the next one.\nWhere they meet, a foot, a hand or the hips stay in "
                                       "their place, and the later "
                                       "clip is turned to go on ahead.")
                              : !desk_.trouble().isEmpty() ? desk_.trouble()
                                                           : tr("Joining …");
        painter.drawText(drawn_rect().adjusted(16, 8, -16, -8), Qt::AlignCenter | Qt::TextWordWrap, words);
        return;
    }
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(side_px, base_px), QPointF(drawn_width() - side_px, base_px));
    for (int i = 0; i < int(desk_.plan().clips.size()); ++i) paint_clip(painter, i);
    for (int i = 0; i < int(joined->seams.size()); ++i) paint_seam(painter, i);
    if (!desk_.trouble().isEmpty() || desk_.is_joining()) {
        painter.setPen(look().mark);
        painter.setFont(letters(11));
        painter.drawText(QRectF(side_px, drawn_height() - 16, drawn_width() - 2 * side_px, 15), Qt::AlignLeft,
                         desk_.is_joining() ? tr("joining …") : desk_.trouble());
    }
}

void JoinStrip::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const QPointF at = drawn_at(event->position());
    const auto [grip, seam] = grip_at(at);
    dragged_ = grip;
    dragged_seam_ = seam;
    pressed_x_ = at.x();
    pressed_plan_ = desk_.plan();
    ++drags_;
    if (grip == Grip::none)
        select(item_at(at));
    else
        select(grip == Grip::overlap ? 2 * seam + 1
               : grip == Grip::first ? 0
                                     : 2 * int(pressed_plan_.clips.size()) - 2);
}

void JoinStrip::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = drawn_at(event->position());
    if (dragged_ == Grip::none) {
        setCursor(grip_at(at).first == Grip::none ? Qt::ArrowCursor : Qt::SizeHorCursor);
        return;
    }
    if (!shown()) return;
    const double frames = (at.x() - pressed_x_) * frames_a_unit();
    const double dt = shown()->motion.motion.frame_time_s;
    // One drag is one change.
    const int topic = 1000 + drags_;
    if (dragged_ == Grip::overlap) {
        const double overlap = pressed_plan_.seams[size_t(dragged_seam_)].overlap_s + frames * dt;
        desk_.change(tr("length of the overlap"), topic, [&](JoinPlan& plan) {
            plan.seams[size_t(dragged_seam_)].overlap_s =
                std::clamp(0.01 * std::round(100.0 * overlap), 0.0, 10.0);
        });
        return;
    }
    const size_t clip = dragged_ == Grip::first ? 0 : pressed_plan_.clips.size() - 1;
    const JoinPlan::Clip& before = pressed_plan_.clips[clip];
    const int whole = desk_.frames_of(before.take);
    if (whole == 0) return;
    const int moved = int(std::lround(frames * before.pace / 100.0));
    desk_.change(tr("end of a clip"), topic, [&](JoinPlan& plan) {
        JoinPlan::Clip& now = plan.clips[clip];
        const int last = before.last == 0 ? whole : before.last;
        if (dragged_ == Grip::first)
            now.first = std::clamp(before.first + moved, 0, last - 1);
        else
            now.last = std::clamp(last + moved, before.first + 1, whole);
        if (now.last == whole) now.last = 0;
    });
}

void JoinStrip::mouseReleaseEvent(QMouseEvent*) {
    dragged_ = Grip::none;
}

/// Its own keys are its own before they are the window's.
bool JoinStrip::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Left || key == Qt::Key_Right || key == Qt::Key_Delete) {
            event->accept();
            return true;
        }
    }
    return Drawing::event(event);
}

void JoinStrip::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Right)
        select(selected_ + 1);
    else if (event->key() == Qt::Key_Left)
        select(std::max(0, selected_ - 1));
    else if (event->key() == Qt::Key_Delete && clip() >= 0)
        desk_.take_out(clip());
    else
        Drawing::keyPressEvent(event);
}

}  // namespace nb
